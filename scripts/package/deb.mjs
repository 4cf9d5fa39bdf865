/** The one to install: a package for Debian and what is made of it. */
import { chmodSync, cpSync, mkdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { gzipSync } from "node:zlib";
import { root, run } from "../steps.mjs";
import { completions } from "./completions.mjs";
import { iconsFrom } from "./icons.mjs";
import { manual } from "./manual.mjs";
import { filled } from "./whole.mjs";

const SCRIPTS = ["postinst", "prerm", "postrm"];

export async function makeDeb({ whole, version, name, library, bytes, packages, help, quick }) {
  const tree = join(packages, "deb");
  rmSync(tree, { recursive: true, force: true });
  const write = (path, content, mode = 0o644) => {
    const full = join(tree, path);
    mkdirSync(dirname(full), { recursive: true, mode: 0o755 });
    writeFileSync(full, content);
    chmodSync(full, mode);
  };
  cpSync(whole, join(tree, "usr/lib/eremos/payload"), { recursive: true });
  const described = { name: "eremos", version, type: "module", eremos: "system" };
  write("usr/lib/eremos/payload/program/package.json", `${JSON.stringify(described)}\n`);
  write("usr/bin/eremos", filled("bin-eremos.sh", {}), 0o755);
  const { systemWideFiles } = await import("@eremos/server");
  for (const { path, mode, content } of systemWideFiles()) write(path, content, mode);
  for (const { path, content } of await iconsFrom(systemWideFiles())) write(path, content);
  for (const { path, content } of completions(help)) write(path, content);
  write("usr/share/man/man1/eremos.1.gz", gzipSync(manual(help, version), { level: 9 }));
  write(
    "usr/share/metainfo/localhost.eremos.Eremos.metainfo.xml",
    filled("metainfo.xml", { VERSION: version, DATE: new Date().toISOString().slice(0, 10) }),
  );
  write("usr/share/doc/eremos/copyright", readFileSync(join(whole, "LICENCES.txt")));
  write("usr/share/doc/eremos/changelog.gz", gzipSync(readFileSync(join(root, "CHANGELOG.md")), { level: 9 }));
  const kibibytes = Math.ceil(bytes / 1024);
  const values = { VERSION: version, ARCHITECTURE: name, LIBRARY: library, KIBIBYTES: String(kibibytes) };
  write("DEBIAN/control", filled("debian-control", values));
  for (const script of SCRIPTS)
    write(
      `DEBIAN/${script}`,
      filled(`${script}.sh`, { VERSION: version, FUNCTIONS: filled("deb-functions.sh", {}) }),
      0o755,
    );
  const file = join(packages, `eremos_${version}_${name}.deb`);
  run("chmod", ["-R", "u=rwX,go=rX", tree]);
  const packing = quick ? ["-Zgzip", "-z1"] : ["-Zxz"];
  run("dpkg-deb", ["--build", "--root-owner-group", ...packing, tree, file], {
    stdio: ["ignore", "ignore", "inherit"],
  });
  rmSync(tree, { recursive: true });
  return file;
}
