import { createRequire } from "node:module";

/**
 * For a program of another account: `bound(host, port)` gives a descriptor that has a port the way that is refused the
 * least (SO_REUSEPORT, which even one that is just being given back allows), or -1; where what it needs for that can't
 * be read by that account, it is null, and the program listens as programs do.
 */
export const BOUND = `let bound = null;
try {
  const libc = require(${JSON.stringify(createRequire(import.meta.url).resolve("koffi"))}).load(null);
  const [socket, option, bind] = ["int socket(int, int, int)", "int setsockopt(int, int, int, const void *, unsigned int)", "int bind(int, const void *, unsigned int)"].map((call) => libc.func(call));
  bound = (host, port) => {
    const six = host === "::1";
    const fd = socket(six ? 10 : 2, 1, 0);
    const one = Buffer.from([1, 0, 0, 0]);
    option(fd, 1, 2, one, 4);
    option(fd, 1, 15, one, 4);
    if (six) option(fd, 41, 26, one, 4);
    const address = Buffer.alloc(six ? 28 : 16);
    address.writeUInt16LE(six ? 10 : 2, 0);
    address.writeUInt16BE(port, 2);
    if (six) address[23] = 1; else address.set([127, 0, 0, 1], 4);
    if (bind(fd, address, address.length) === 0) return fd;
    require("node:fs").closeSync(fd);
    return -1;
  };
} catch {}
`;
