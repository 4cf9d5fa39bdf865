import * as fs from "node:fs";
import * as path from "node:path";
import { pathToFileURL } from "node:url";
import { crc32 } from "node:zlib";
import { drawingPng } from "./files";
import { Seeded } from "./random";

/** The account that the demo plays in: a home of its own, so that nothing of the one it runs in is touched. */
export function homeEnvironment(home: string): Readonly<Record<string, string>> {
  return {
    HOME: home,
    XDG_DATA_HOME: path.join(home, ".local", "share"),
    XDG_CONFIG_HOME: path.join(home, ".config"),
    XDG_CACHE_HOME: path.join(home, ".cache"),
    XDG_STATE_HOME: path.join(home, ".local", "state"),
    TMPDIR: path.join(home, "tmp"),
  };
}

/** What the programs of a desktop would remember of the demo world: a trace of each kind, between what is of others. */
export function leaveTraces(world: string, home: string): void {
  const put = (name: string, content: Buffer | string): void => {
    const file = path.join(home, name);
    fs.mkdirSync(path.dirname(file), { recursive: true });
    fs.writeFileSync(file, content, { mode: 0o600 });
  };
  const at = (name: string): string => path.join(world, name);
  const address = (name: string): string => pathToFileURL(at(name)).href;
  recent(put, address);
  pictures(put, address, new Seeded(2718));
  trash(put, at);
  put(
    ".config/gtk-3.0/bookmarks",
    `${address("Home/Recipes")} Recipes\n${address("Workshop/Payroll")} Payroll\n${address("Home/Garden plans")} Garden\n`,
  );
  put(
    ".bash_history",
    `ls\ncd "${at("Workshop/Payroll")}"\ncat "bank details.txt"\nopen '${at("Home/Adoption papers/Application.pdf")}'\ndf -h\ncp -r ${at("Home/Surprise for Jonas").replaceAll(" ", "\\ ")} /tmp/cello\n`,
  );
  put(
    ".local/share/fish/fish_history",
    `- cmd: cat "${at("Home/Adoption papers/notes.txt")}"\n  when: 1767225600\n- cmd: uptime\n  when: 1767225660\n`,
  );
  put(
    `.local/state/vim/swap/${at("Home/Adoption papers/notes.txt").replaceAll("/", "%")}.swp`,
    "Call the court on Monday. Jonas must hear it from us, not from a folder.\n",
  );
  put(
    ".viminfo",
    `# Marks within files\n\n> ${at("Home/Adoption papers/notes.txt")}\n\t"\t1\t0\n\n> ${at("Home/Recipes/lentil soup.txt")}\n\t"\t3\t0\n`,
  );
  put(".config/libreoffice/4/user/registrymodifications.xcu", documents(address));
  put(".local/share/gvfs-metadata/home", "\0Workshop\0Payroll\0nautilus-icon-position\0");
  put(".cache/tracker3/files/meta.db", `SQLite format 3\0 ${address("Home/Adoption papers/notes.txt")} `);
  copies(put, world);
}

/** What was saved, sent or kept in step, and stays where it was put. */
function copies(put: Put, world: string): void {
  const of = (name: string): Buffer => fs.readFileSync(path.join(world, name));
  put("Downloads/bank details (1).txt", of("Workshop/Payroll/bank details.txt"));
  put("Downloads/plan (conflicted copy 2026-01-03).md", "# Half-size cello\n\n- varnish dry by the 14th\n");
  put("tmp/mail-4711/guests.csv", of("Home/Surprise for Jonas/guests.csv"));
  const snapshot = path.join(path.dirname(world), ".snapshots", "7", "snapshot", path.basename(world));
  fs.mkdirSync(path.join(snapshot, "Home", "Adoption papers"), { recursive: true });
  fs.writeFileSync(path.join(snapshot, "Home", "Adoption papers", "notes.txt"), of("Home/Adoption papers/notes.txt"));
}

type Put = (name: string, content: Buffer | string) => void;
type Address = (name: string) => string;

const OPENED_LAST = [
  "Workshop/Payroll/bank details.txt",
  "Home/Recipes/plum dumplings.txt",
  "Home/Adoption papers/Decision of the court.pdf",
  "Home/Adoption papers/Medical report.pdf",
  "Home/Surprise for Jonas/plan.md",
  "Home/Garden plans/quince.md",
];

function recent(put: Put, address: Address): void {
  const bookmarks = OPENED_LAST.map(
    (name) =>
      `  <bookmark href="${address(name)}" added="2026-01-03T10:00:00Z" modified="2026-01-03T10:00:00Z" visited="2026-01-03T10:00:00Z">\n    <info>\n      <metadata owner="http://freedesktop.org"/>\n    </info>\n  </bookmark>\n`,
  );
  put(
    ".local/share/recently-used.xbel",
    `<?xml version="1.0" encoding="UTF-8"?>\n<xbel version="1.0"\n      xmlns:bookmark="http://www.freedesktop.org/standards/desktop-bookmarks"\n      xmlns:mime="http://www.freedesktop.org/standards/shared-mime-info"\n>\n${bookmarks.join("")}</xbel>\n`,
  );
  put(
    ".local/share/RecentDocuments/guests.csv.desktop",
    `[Desktop Entry]\nIcon=text-csv\nName=guests.csv\nType=Link\nURL[$e]=${address("Home/Surprise for Jonas/guests.csv")}\n`,
  );
}

/** Source: freedesktop.org Thumbnail Managing Standard. */
function pictures(put: Put, address: Address, seed: Seeded): void {
  const shown = [
    ...[1, 2, 3, 4, 5, 6].map((number) => `Home/Surprise for Jonas/cello 0${number}.jpg`),
    "Workshop/Instrument photos/IMG_1201.jpg",
  ];
  shown.forEach((name, number) => {
    const picture = drawingPng(seed, 128, 128);
    const text = Buffer.from(`tEXtThumb::URI\0${address(name)}`);
    const [length, sum] = [Buffer.alloc(4), Buffer.alloc(4)];
    length.writeUInt32BE(text.length - 4);
    sum.writeUInt32BE(crc32(text));
    // Behind the header, which is 33 bytes with the signature.
    const whole = Buffer.concat([picture.subarray(0, 33), length, text, sum, picture.subarray(33)]);
    put(`.cache/thumbnails/normal/${String(number + 1).padStart(32, "0")}.png`, whole);
  });
}

function trash(put: Put, at: (name: string) => string): void {
  for (const [name, where, content] of [
    ["old hours.csv", "Workshop/Payroll/old hours.csv", "day,hours\n1,8\n2,7\n"],
    ["broken string.txt", "Home/Recipes/broken string.txt", "Not a recipe.\n"],
  ] as const) {
    put(`.local/share/Trash/files/${name}`, content);
    put(
      `.local/share/Trash/info/${name}.trashinfo`,
      `[Trash Info]\nPath=${encodeURI(at(where))}\nDeletionDate=2026-01-03T10:00:00\n`,
    );
  }
}

function documents(address: Address): string {
  const list = "/org.openoffice.Office.Histories/Histories/org.openoffice.Office.Histories:HistoryInfo['PickList']";
  const items = ["Workshop/Bow stock/bows.csv", "Home/Surprise for Jonas/guests.csv"].map(
    (name, place) =>
      `<item oor:path="${list}/ItemList"><node oor:name="${address(name)}" oor:op="replace"><prop oor:name="Filter" oor:op="fuse"><value>Text - txt - csv</value></prop></node></item>\n<item oor:path="${list}/OrderList"><node oor:name="${place}" oor:op="replace"><prop oor:name="HistoryItemRef" oor:op="fuse"><value>${address(name)}</value></prop></node></item>\n`,
  );
  return `<?xml version="1.0" encoding="UTF-8"?>\n<oor:items xmlns:oor="http://openoffice.org/2001/registry" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">\n${items.join("")}</oor:items>\n`;
}
