/**
 * Takes the picture of what shows outside the page, docs/screenshots/desktop.png: the file manager's menu and mark, the
 * panel and a notice, in real programs on a virtual screen. It needs these, which no test does: xvfb, xdotool,
 * imagemagick, hsetroot, xfwm4, xfce4-panel, xfce4-notifyd, nautilus, python3-nautilus, adwaita-icon-theme.
 */
import { spawn, spawnSync } from "node:child_process";
import { existsSync, mkdirSync, readdirSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build, fail, root } from "../steps.mjs";

const base = join(tmpdir(), "ines");
const isInside = process.env.EREMOS_PICTURES === "1";
if (!isInside) {
  if (existsSync(base)) fail(`${base} exists already; move it away first.`);
  mkdirSync(join(base, "run"), { recursive: true, mode: 0o700 });
  // All that follows is started on a bus of its own, by which other programs begin more.
  const { status } = spawnSync("dbus-run-session", ["--", process.execPath, import.meta.filename], {
    stdio: "inherit",
    env: {
      ...process.env,
      EREMOS_PICTURES: "1",
      DISPLAY: ":78",
      HOME: base,
      XDG_RUNTIME_DIR: join(base, "run"),
      XDG_DATA_HOME: join(base, "share"),
      XDG_CONFIG_HOME: join(base, "config"),
      GSK_RENDERER: "cairo",
      EREMOS_PORT: "0",
      EREMOS_DATA: join(base, "data"),
      EREMOS_PLACES: join(base, "files"),
    },
  });
  rmSync(base, { recursive: true, force: true });
  process.exit(status ?? 1);
}

if (!existsSync(join(root, "demo/dist/generate.js"))) await build();
const { generateWorld } = await import("#demo/generate");
const PASSWORD = "violin varnish at dusk";
const world = join(base, "files");
await generateWorld(world);

const environment = process.env;
/** Where the file manager draws the first of what is in a folder. */
const FIRST_ENTRY = [333, 150];
const programs = [];
const begin = (program, ...words) =>
  programs.push(spawn(program, words, { env: environment, stdio: "ignore", cwd: base }));
const wait = (seconds) => new Promise((resolve) => setTimeout(resolve, seconds * 1000));
const eremos = (words, input = "") => {
  const { status, stderr } = spawnSync("node", [join(root, "cli/bin/eremos.mjs"), ...words], {
    env: environment,
    input,
    encoding: "utf8",
  });
  if (status !== 0) fail(stderr);
};
const press = (...words) => spawnSync("xdotool", words, { env: environment });

try {
  const panel = join(base, "config", "xfce4", "xfconf", "xfce-perchannel-xml");
  mkdirSync(panel, { recursive: true });
  writeFileSync(
    join(panel, "xfce4-panel.xml"),
    `<?xml version="1.0"?><channel name="xfce4-panel" version="1.0"><property name="panels" type="array"><value type="int" value="1"/>
<property name="panel-1" type="empty"><property name="position" type="string" value="p=6;x=0;y=0"/><property name="length" type="uint" value="100"/>
<property name="position-locked" type="bool" value="true"/><property name="size" type="uint" value="28"/>
<property name="plugin-ids" type="array"><value type="int" value="1"/><value type="int" value="2"/><value type="int" value="3"/></property></property></property>
<property name="plugins" type="empty"><property name="plugin-1" type="string" value="separator"><property name="expand" type="bool" value="true"/><property name="style" type="uint" value="0"/></property>
<property name="plugin-2" type="string" value="systray"/><property name="plugin-3" type="string" value="clock"/></property></channel>\n`,
  );
  begin("Xvfb", ":78", "-screen", "0", "1280x800x24");
  await wait(1);
  begin("hsetroot", "-add", "#e9e0ce", "-add", "#b9b6c9", "-gradient", "0");
  begin("xfwm4", "--compositor=on");
  begin("xfce4-panel", "--disable-wm-check");
  const notices = readdirSync("/usr/lib").map((one) => `/usr/lib/${one}/xfce4/notifyd/xfce4-notifyd`);
  begin(notices.find((one) => existsSync(one)) ?? fail("xfce4-notifyd is not there."));
  await wait(3);
  eremos(["setup", "--password-stdin", "--effort", "light"], `${PASSWORD}\n${PASSWORD}\n`);
  eremos(["integrate"]);
  begin("node", join(root, "cli/bin/eremos.mjs"), "serve");
  await wait(4);
  const home = join(world, "Home");
  const [first, second, third] = readdirSync(home)
    .filter((one) => !one.startsWith("."))
    .sort();
  eremos(["lock", join(home, first), join(home, second), "--view"]);
  eremos(["unlock", join(home, second), "--password-stdin"], `${PASSWORD}\n`);
  begin("nautilus", home);
  await wait(6);
  const [x, y] = FIRST_ENTRY;
  press("mousemove", String(x), String(y), "click", "3");
  await wait(1);
  eremos(["menu", "lock", join(home, third)]);
  press("key", "--delay", "250", "Up", "Up", "Return");
  await wait(1);
  spawnSync("import", ["-window", "root", join(root, "docs", "screenshots", "desktop.png")], { env: environment });
} finally {
  for (const program of programs.reverse()) program.kill();
  await wait(1);
}
