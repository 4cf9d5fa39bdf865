"use strict";
/**
 * Starts the program that lies beside this file, with what the engine compiled of it when it was bundled: nothing of it
 * is read a second time. Compiled by another version, or for another processor, it is compiled anew.
 */
const fs = require("node:fs");
const { basename } = require("node:path");
const vm = require("node:vm");

const file = __filename.replace(/\.cjs$/, ".code.cjs");

/** All of it is ASCII, as the bundler sees to: read so, it takes half the memory. */
const code = fs.readFileSync(file, "latin1");

function compiledBefore() {
  try {
    return fs.readFileSync(file.replace(/cjs$/, "cache"));
  } catch {
    return undefined;
  }
}

const script = new vm.Script(`(function (exports, require, module, __filename, __dirname) {${code}\n})`, {
  // What was compiled holds its name: not where it was made, of which a mere part of the path would be a view.
  filename: Buffer.from(basename(file)).toString(),
  cachedData: compiledBefore(),
});
const started = { exports: {} };
module.exports = script;
script.runInThisContext()(started.exports, require, started, file, __dirname);
