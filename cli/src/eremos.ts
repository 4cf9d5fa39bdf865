import { asksForHelp } from "./words";

/** A reader that stops early (`| head`) is no error of ours. */
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code !== "EPIPE") throw error;
});

const words = process.argv.slice(2);
if (asksForHelp(words)) process.stdout.write((await import("./usage")).USAGE);
else await import("./run");
