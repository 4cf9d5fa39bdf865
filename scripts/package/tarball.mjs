/** The one to unpack: a directory that runs from anywhere, without an administrator. */
import { writeFileSync } from "node:fs";
import { basename, join } from "node:path";
import { run } from "../steps.mjs";
import { filled } from "./whole.mjs";

export function makeTarball({ whole, version, name, library, node, packages }) {
  writeFileSync(join(whole, "README.txt"), filled("README.txt", { VERSION: version, LIBRARY: library, NODE: node }));
  const file = join(packages, `eremos-${version}-linux-${name}.tar.xz`);
  const words = ["--sort=name", "--owner=0", "--group=0", "--numeric-owner", "--mode=u=rwX,go=rX"];
  run("tar", [...words, "-C", packages, "-cf", file, "-I", "xz -T0 -6", basename(whole)]);
  return file;
}
