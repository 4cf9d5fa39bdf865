import { spawnSync } from "node:child_process";
import * as fs from "node:fs";
import * as path from "node:path";
import { gunzipSync } from "node:zlib";
import { afterAll, beforeAll, expect, it } from "vitest";
import { type Account, FreshSystem, PACKAGES, run } from "./system";

const OLDER = "0.0.9";
const { version: NEWER } = JSON.parse(fs.readFileSync("package.json", "utf8")) as { version: string };
const PASSWORD = "rosin maple bridge dusk";
const tarball = path.join(PACKAGES, `eremos-${NEWER}-linux-amd64.tar.xz`);
const deb = (version: string): string => path.join(PACKAGES, `eremos_${version}_amd64.deb`);

let system: FreshSystem;
let ines: Account;
let jonas: Account;

beforeAll(() => {
  system = new FreshSystem(path.join(PACKAGES, "system.tar"));
  ines = system.addAccount("ines", 4242);
  jonas = system.addAccount("jonas", 4243);
  for (const version of [OLDER, NEWER]) fs.copyFileSync(deb(version), path.join(system.at, `${version}.deb`));
  for (const [account, place] of [
    [ines, "Letters"],
    [ines, "Accounts"],
    [jonas, "Sketches"],
  ] as const)
    system.write(account, `${account.home}/${place}/one.txt`, `${place} of ${account.name}`);
});
afterAll(() => system.remove());

const versions = (): string[] => fs.readdirSync(path.join(system.at, "usr/lib/eremos/versions"));

it("installs where there is no runtime, and touches nobody's home", () => {
  expect(system.as(ines, "command -v node").status).not.toBe(0);
  const homes = system.filesBelow("/home");
  const { status, out } = system.asRoot(`dpkg -i /${OLDER}.deb`);
  expect([status, out]).toEqual([0, expect.stringContaining("Setting up eremos (0.0.9)")]);
  expect(system.filesBelow("/home")).toEqual(homes);
  expect(system.as(ines, "eremos help").out).toContain("hides and locks private folders in place");
  expect(system.as(ines, "eremos status").out).toBe(
    `Eremos ${OLDER}, not running.\nNothing is protected by this account.\n`,
  );
  expect(system.filesBelow("/home")).toEqual(homes);
});

it("stands among the applications, opens its items, and has icons, a manual, completions and a description", () => {
  expect(system.asRoot("desktop-file-validate /usr/share/applications/localhost.eremos.Eremos.desktop")).toEqual({
    status: 0,
    out: "",
  });
  expect(system.read("/usr/share/applications/mimeinfo.cache")).toContain(
    "application/vnd.eremos.item=localhost.eremos.Eremos.desktop",
  );
  expect(system.read("/usr/share/mime/globs2")).toContain("application/vnd.eremos.item");
  for (const size of [16, 24, 32, 48, 64, 128, 256, 512])
    expect(system.has(`/usr/share/icons/hicolor/${size}x${size}/apps/localhost.eremos.Eremos.png`)).toBe(true);
  const share = path.join(system.at, "usr/share");
  const page = path.join(system.at, "eremos.1");
  fs.writeFileSync(page, gunzipSync(fs.readFileSync(path.join(share, "man/man1/eremos.1.gz"))));
  const manual = run("man", "--warnings", "-E", "UTF-8", "-l", page);
  for (const words of ["eremos unlock PATH-OR-ID...", "--with-code", "EXIT STATUS"]) expect(manual).toContain(words);
  run("appstreamcli", "validate", "--no-net", path.join(share, "metainfo/localhost.eremos.Eremos.metainfo.xml"));
  const completed = (program: string, ...words: string[]): string =>
    spawnSync(program, words, { encoding: "utf8" }).stdout;
  const bash = path.join(share, "bash-completion/completions/eremos");
  const inBash = (words: string): string =>
    completed(
      "bash",
      "-c",
      `source "$1"; COMP_WORDS=(${words}); COMP_CWORD=$((\${#COMP_WORDS[@]}-1)); _eremos; echo "\${COMPREPLY[*]}"`,
      "bash",
      bash,
    ).trim();
  expect(inBash("eremos unl")).toBe("unlock");
  expect(inBash("eremos lock --fold")).toBe("--folder-password");
  const fish = path.join(share, "fish/vendor_completions.d/eremos.fish");
  expect(completed("fish", "-c", `source ${fish}; complete -C 'eremos unl'`)).toMatch(/^unlock\t/);
  expect(completed("fish", "-c", `source ${fish}; complete -C 'eremos lock --fold'`).trim()).toBe("--folder-password");
  expect(spawnSync("zsh", ["-n", path.join(share, "zsh/vendor-completions/_eremos")]).status).toBe(0);
});

it("first run in the browser; a lock; everything killed and started again; the bytes are back", async () => {
  const server = await system.serve(ines, "eremos serve");
  expect(system.browse(ines, "first-run", server.address, PASSWORD, "/settings|Its runtime")).toMatch(
    new RegExp(
      `It came with the package, for every account[^]*${OLDER}, installed by this system’s packages[^]*Node\\.js 24\\.[^]*until 30 April 2028`,
    ),
  );
  expect(system.as(ines, "eremos lock Letters").status).toBe(0);
  expect(system.has(`${ines.home}/Letters`)).toBe(false);
  await server.stop("SIGKILL");
  const before = Date.now();
  const again = await system.serve(ines, "eremos serve");
  process.stdout.write(
    `Started in ${Date.now() - before} ms; takes ${system.memoryOf(ines)} MiB while nobody looks.\n`,
  );
  expect(system.browse(ines, "sign-in", again.address, PASSWORD, "/|Letters")).toContain("Letters");
  expect(system.as(ines, `eremos unlock --password-stdin Letters`, `${PASSWORD}\n`)).toEqual({
    status: 0,
    out: expect.stringContaining("Letters"),
  });
  expect(system.read(`${ines.home}/Letters/one.txt`)).toBe("Letters of ines");
  await again.stop("SIGTERM");
});

it("a newer version comes beside a running one, with folders locked and open: what runs goes on with its own files", async () => {
  const server = await system.serve(ines, "eremos serve");
  expect(system.as(ines, "eremos lock Accounts").status).toBe(0);
  expect(system.as(ines, "eremos status").out).toMatch(
    /0\.0\.9, running[^]*2 folders and files[^]*one of them lies open/,
  );
  const homes = system.filesBelow(ines.home);
  expect(system.asRoot(`dpkg -i /${NEWER}.deb`).status).toBe(0);
  expect(system.filesBelow(ines.home)).toEqual(homes);
  expect(versions().sort()).toEqual([OLDER, NEWER]);
  // Pages and processes that it has not begun with yet.
  expect(
    system.browse(ines, "sign-in", server.address, PASSWORD, "/|Letters", "/traces|Traces", "/settings|Its runtime"),
  ).toContain(OLDER);
  expect(system.as(ines, "eremos status").out).toContain(`Eremos ${NEWER}, running`);
  const copy = `${ines.home}/.local/share/eremos/before-upgrade/${OLDER}`;
  expect([system.has(`${copy}/owner.json`), system.has(`${copy}/eremos.db`)]).toEqual([true, true]);
  await server.stop("SIGTERM");

  const now = await system.serve(ines, "eremos serve");
  expect(system.browse(ines, "sign-in", now.address, PASSWORD, "/settings|Its runtime")).toContain(
    `${NEWER}, installed by this system’s packages`,
  );
  expect(system.as(ines, "eremos unlock --password-stdin Accounts", `${PASSWORD}\n`).status).toBe(0);
  expect(system.read(`${ines.home}/Accounts/one.txt`)).toBe("Accounts of ines");
  await now.stop("SIGTERM");
  expect(system.asRoot("dpkg-reconfigure eremos || dpkg -i /" + NEWER + ".deb").status).toBe(0);
  expect(versions()).toEqual([NEWER]);
});

it("two accounts run the same package at once, each its own, and neither sees the other's", async () => {
  const [hers, his] = await Promise.all([system.serve(ines, "eremos serve"), system.serve(jonas, "eremos serve")]);
  expect(hers.address).not.toBe(his.address);
  system.browse(jonas, "first-run", his.address, "another lantern by the canal", "/|Nothing is protected yet");
  expect(system.as(jonas, "eremos lock Sketches").status).toBe(0);
  expect(system.browse(ines, "sign-in", hers.address, PASSWORD, "/|Letters")).not.toContain("Sketches");
  expect(system.as(jonas, "eremos status").out).toContain("One folder or file is protected");
  const { hostname, port, host } = new URL(hers.address);
  const asked = `curl -s -o /dev/null -w '%{http_code}' --resolve ${hostname}:${port}:127.0.0.1 http://${host}/`;
  expect([system.as(jonas, asked).out, system.as(ines, asked).out]).toEqual(["403", "200"]);
  await Promise.all([hers.stop("SIGTERM"), his.stop("SIGTERM")]);
});

it("its removal says what is still locked, stops when asked to, takes nothing of anybody's, and leaves a reader", () => {
  expect(system.as(ines, "eremos lock Letters").status).toBe(0);
  const homes = system.filesBelow("/home");
  const stopped = spawnSync(
    "script",
    ["-qec", `chroot ${system.at} env DEBIAN_FRONTEND= dpkg -r eremos`, "/dev/null"],
    { input: "stop\n", encoding: "utf8" },
  );
  expect(stopped.stdout).toMatch(/ines: 2 folders[^]*jonas: One folder[^]*Stopped\. Nothing was changed/);
  expect(system.as(ines, "eremos status").status).toBe(0);
  const { status, out } = system.asRoot("dpkg -r eremos", { DEBIAN_FRONTEND: "noninteractive" });
  expect([status, out]).toEqual([0, expect.stringContaining("what is locked stays locked")]);
  expect([system.has("/usr/bin/eremos"), system.has("/usr/lib/eremos")]).toEqual([false, false]);
  expect(fs.readdirSync(path.join(system.at, "var/lib/eremos/reader")).sort()).toEqual(["rescue.html", "rescue.mjs"]);
  const without = ([name]: [string, string]): boolean =>
    !/before-upgrade|\/eremos\.db|fault|used-by|days\.json/.test(name);
  expect([...system.filesBelow("/home")].filter(without)).toEqual([...homes].filter(without));

  expect(system.asRoot(`dpkg -i /${NEWER}.deb`).status).toBe(0);
  expect(system.has("/var/lib/eremos")).toBe(false);
  expect(system.as(ines, "eremos unlock --password-stdin Letters", `${PASSWORD}\n`).status).toBe(0);
  expect(system.read(`${ines.home}/Letters/one.txt`)).toBe("Letters of ines");
  expect(system.asRoot("dpkg --purge eremos", { DEBIAN_FRONTEND: "noninteractive" }).status).toBe(0);
  expect([system.has("/usr/lib/eremos"), system.has("/var/lib/eremos/reader/rescue.html")]).toEqual([false, true]);
  expect(system.has(`${ines.home}/.local/share/eremos/owner.json`)).toBe(true);
});

it("runs from a directory of one's own, with no administrator", async () => {
  run("tar", "-xJf", tarball, "-C", path.join(system.at, ines.home));
  const server = await system.serve(ines, `sh eremos-${NEWER}/eremos serve`);
  expect(system.browse(ines, "sign-in", server.address, PASSWORD, "/settings|Its runtime")).toContain(
    `${NEWER}, run from a folder of its own`,
  );
  await server.stop("SIGTERM");
});

const UNPACKED = `eremos-${NEWER}/eremos`;

it("runs from a stick that keeps no right to execute, by a copy of its runtime in the memory of the log-in", async () => {
  const image = path.join(system.at, "stick.img");
  fs.writeFileSync(image, "");
  fs.truncateSync(image, 400 * 2 ** 20);
  run("mkfs.exfat", image);
  const device = run("losetup", "-f", "--show", image).trim();
  try {
    const stick = system.mount("/media/ines/stick", (full) =>
      run("mount.exfat-fuse", "-o", `fmask=0133,dmask=0022,uid=${ines.number},allow_other`, device, full),
    );
    run("tar", "-xJf", tarball, "--no-same-owner", "--no-same-permissions", "-C", path.join(system.at, stick));
    const runtime = `/run/user/${ines.number}`;
    system.asRoot(`mkdir -p ${runtime} && chown ${ines.name} ${runtime} && chmod 700 ${runtime}`);
    expect(system.as(ines, `test -x ${stick}/eremos-${NEWER}/runtime/node`).status).not.toBe(0);
    expect(system.as(ines, `sh ${stick}/${UNPACKED} help`)).toEqual({
      status: 1,
      out: expect.stringContaining("there is no place for a copy"),
    });
    const server = await system.serve(ines, `env XDG_RUNTIME_DIR=${runtime} sh ${stick}/${UNPACKED} serve`);
    expect(system.browse(ines, "sign-in", server.address, PASSWORD, "/|Letters")).toContain("Letters");
    await server.stop("SIGTERM");
  } finally {
    spawnSync("losetup", ["-d", device]);
  }
});

it("says why it can't run from a drive on which nothing may run, and what to do", () => {
  const drive = system.mount("/media/ines/locked down", (full) =>
    run("mount", "-t", "tmpfs", "-o", "noexec,size=300m,mode=755", "tmpfs", full),
  );
  run("tar", "-xJf", tarball, "-C", path.join(system.at, drive));
  const runtime = `/run/user/${ines.number}`;
  const { status, out } = system.as(ines, `XDG_RUNTIME_DIR=${runtime} sh '${drive}/${UNPACKED}' help`);
  expect([status, out]).toEqual([
    1,
    expect.stringMatching(/no program on it may run \(noexec\)[^]*Nothing was changed/),
  ]);
});
