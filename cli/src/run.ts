import { main } from "./main";

void main(process.argv.slice(2)).then((exitCode) => {
  process.exitCode = exitCode;
  // Whoever holds the other end need not close it.
  process.stdin.destroy();
});
