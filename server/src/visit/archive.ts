import { type ServerResponse, get } from "node:http";
import { EremosError } from "@eremos/core";
import { ZipFile } from "yazl";
import type { VisitCall, VisitEntry, VisitReply, VisitView } from "../contract";
import { said, say } from "@eremos/words/server/visit";

/** What was chosen in a visit as one ZIP archive, written while it is sent: nothing of it is kept anywhere. */
export interface Archived {
  readonly view: VisitView;
  readonly hrefs: readonly string[];
  readonly call: (call: VisitCall) => Promise<VisitReply>;
}

/**
 * Regular files and directories with their times; a link as the archive format has it: its target as content. Source:
 * ZIP application note, Unix modes.
 */
const FILE_MODE = 0o100644;
const LINK_MODE = 0o120777;

export async function sendArchive(of: Archived, response: ServerResponse): Promise<void> {
  const zip = new ZipFile();
  // A connection that is cut is how a browser learns that the archive is not whole.
  const cut = (): void => void response.destroy();
  zip.on("error", cut);
  response.on("error", cut);
  try {
    const writing: Writing = { ...of, zip, response, names: new Set() };
    for (const href of of.hrefs) await add(writing, await entryAt(of, href), "");
  } catch {
    response.writeHead(409, { "Content-Type": "text/plain; charset=utf-8" }).end(say("visit-has-ended-or-something"));
    return;
  }
  response.writeHead(200, { "Content-Type": "application/zip" });
  zip.outputStream.pipe(response);
  zip.end();
}

interface Writing extends Archived {
  readonly zip: ZipFile;
  readonly response: ServerResponse;
  readonly names: Set<string>;
}

async function entryAt({ call }: Archived, href: string): Promise<VisitEntry> {
  const { entries } = await call({ kind: "list", href: href.slice(0, href.lastIndexOf("/")) || "/" });
  const entry = entries.find((one) => one.href === href);
  if (!entry) throw new EremosError("not-found", said("something-that-was-chosen-is"));
  return entry;
}

async function add(of: Writing, entry: VisitEntry, above: string): Promise<void> {
  const { zip } = of;
  const name = freeName(`${above}${archiveName(entry.name)}`, of.names);
  const mtime = new Date(entry.modifiedAt);
  if (entry.kind === "link")
    zip.addBuffer(Buffer.from(entry.leadsTo ?? ""), name, { mtime, mode: LINK_MODE, compress: false });
  else if (entry.kind === "file")
    zip.addReadStreamLazy(name, { mtime, mode: FILE_MODE, compress: false, size: entry.size }, (give) =>
      read(of, entry.href, give),
    );
  else {
    const { entries } = await of.call({ kind: "list", href: entry.href });
    if (entries.length === 0) zip.addEmptyDirectory(name, { mtime });
    for (const child of entries) await add(of, child, `${name}/`);
  }
}

/** From the visit's drive, when its turn comes. */
function read(
  { view: { url, user, password }, response }: Writing,
  href: string,
  give: (error: Error | null, stream: NodeJS.ReadableStream) => void,
): void {
  const { hostname, port } = new URL(url);
  const asked = get({ hostname, port, path: href, auth: `${user}:${password}` }, (answer) => {
    answer.on("error", () => response.destroy());
    if (answer.statusCode === 200) give(null, answer);
    else response.destroy();
  });
  asked.on("error", () => response.destroy());
  response.once("close", () => asked.destroy());
}

/** What an archive's names may not hold: a backslash, which parts directories there, and what looks like a drive. */
function archiveName(name: string): string {
  return name.replaceAll("\\", "_").replace(/^([A-Za-z]):/, "$1_");
}

function freeName(name: string, names: Set<string>): string {
  let free = name;
  for (let n = 2; names.has(free); n++) free = `${name} (${n})`;
  names.add(free);
  return free;
}
