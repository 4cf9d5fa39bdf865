/** Who made what a package carries, and under which licence it may be given on. */
import { existsSync, readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { fail, root } from "../steps.mjs";

const LICENCE = /^(licen[cs]e|copying|notice|ofl)([.-].*)?$/i;
const read = (file) => JSON.parse(readFileSync(file, "utf8"));

/**
 * One text: the house's own licence, then that of every package which the house is made of (what is only used to build
 * it is not given on), of what such a package carries inside, and of the runtime.
 */
export function licences(runtime) {
  const { packages } = read(join(root, "package-lock.json"));
  const used = Object.entries(packages)
    .filter(([path, { dev, link }]) => path.startsWith("node_modules/") && !dev && !link)
    .map(([path]) => join(root, path))
    .filter((directory) => existsSync(join(directory, "package.json")));
  const carried = join(root, "node_modules/next/dist/compiled");
  const inside = readdirSync(carried)
    .flatMap((name) => (name.startsWith("@") ? readdirSync(join(carried, name)).map((sub) => `${name}/${sub}`) : name))
    .map((name) => join(carried, name))
    .filter((directory) => existsSync(join(directory, "package.json")) && textsIn(directory).length > 0);
  const parts = [...used, ...inside, runtime].map((directory) => {
    const { name, version = "", license } = read(join(directory, "package.json"));
    const texts = textsIn(directory);
    if (license === undefined && texts.length === 0)
      fail(`${directory} does not say under which licence it may be given on.`);
    const heading = `${name} ${version}: ${typeof license === "string" ? license : "see below"}`;
    return [heading, "-".repeat(heading.length), "", ...texts, ""].join("\n");
  });
  const own = readFileSync(join(root, "LICENSE"), "utf8").trim();
  return `Eremos\n\n${own}\n\n\nIt is made of these, each under its own licence:\n\n${parts.join("\n")}`;
}

function textsIn(directory) {
  return readdirSync(directory, { withFileTypes: true })
    .filter((entry) => entry.isFile() && LICENCE.test(entry.name))
    .map(({ name }) => readFileSync(join(directory, name), "utf8").trim())
    .sort();
}
