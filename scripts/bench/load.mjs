/**
 * What holds a server up, asked for by somebody else than who measures: plans a large tree and lists ten places, again
 * and again until it is told to end; prints how often. `{ port, headers, large }` as its argument.
 */
import { request } from "node:http";

const { port, headers, large } = JSON.parse(process.argv[2]);
let isOver = false;
process.on("SIGTERM", () => (isOver = true));

/** @returns {Promise<void>} */
function call(name, body) {
  return new Promise((resolve, reject) => {
    const path = `/api/${name}`;
    const asking = request({ host: "127.0.0.1", port, path, method: "POST", setHost: false, headers });
    asking.on("error", reject);
    asking.on("response", (response) => {
      response.resume();
      response.on("end", () => (response.statusCode === 200 ? resolve() : reject(new Error(`${name} was refused`))));
    });
    asking.end(JSON.stringify(body));
  });
}

let rounds = 0;
while (!isOver) {
  await Promise.all([
    call("plan", { path: large, guard: "sealed", visibility: "hidden" }),
    ...Array.from({ length: 10 }, (_, i) => call("places/list", { path: `${large}/d${i}` })),
  ]);
  rounds++;
}
process.stdout.write(`${rounds}\n`);
