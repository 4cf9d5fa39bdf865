import {
  EremosError,
  type FreeSpaceFilled,
  type NotOverwritten,
  OWN_DIR_NAME,
  type Overwritten,
  displayPath,
  isInPlaces,
  whatOverwritingReaches,
  whyOffLimits,
} from "@eremos/core";
import type { MediumView } from "../../contract";
import type { Eremos } from "../../eremos";
import type { StartedJob } from "../../jobs";
import { fullPath } from "../../paths";
import { formatBytes } from "../../size-words";
import { said, say } from "@eremos/words/server/overwriting";

/** Work that is about no protected folder. */
const NO_FOLDER = "";

export interface OverwriteRequest {
  readonly paths: readonly string[];
  /** 1 or 3. */
  readonly passes: number;
  /** Files with other names lose their contents under all of them. */
  readonly allNames: boolean;
  readonly from: string;
}

/**
 * Writes over files and folders, and removes them. @throws EremosError `off-limits` | `outside-places` | `nested` |
 * `not-found`, before anything is touched
 */
export function overwrite(
  eremos: Eremos,
  { paths, passes, allNames, from }: OverwriteRequest,
): StartedJob<"overwrite"> {
  const full = paths.map((typed) => fullPath(typed, eremos.settings.home, from));
  for (const path of full) refuseToOverwrite(eremos, path);
  return eremos.jobs.start({
    folder: NO_FOLDER,
    verb: "overwrite",
    request: {
      verb: "overwrite",
      input: { paths: full, passes, allNames, begunIn: Buffer.from(eremos.data.overwriting) },
    },
    before: () => undefined,
    after: async (outcome) => {
      await eremos.ledger.noticed(NO_FOLDER, "overwritten", { count: outcome.files });
      eremos.announce({ topic: "folders" });
      return overwrittenSentence(outcome);
    },
    failed: async () => undefined,
  });
}

/** What may not be locked may not go, either. @throws EremosError `off-limits` | `outside-places` | `nested` */
function refuseToOverwrite(eremos: Eremos, path: Buffer): void {
  const shown = displayPath(path);
  const why = whyOffLimits(shown, eremos.offLimits, eremos.places);
  if (why !== null)
    throw new EremosError("off-limits", said("cant-be-overwritten", { path: shown, why }), { path: shown });
  if (!isInPlaces(shown, eremos.places))
    throw new EremosError(
      "outside-places",
      said("is-outside-places", { path: shown, places: eremos.places.join(", ") }),
    );
  if (`${shown}/`.includes(`/${OWN_DIR_NAME.toString()}/`))
    throw new EremosError("nested", said("belongs-to-eremos", { path: shown }));
  if (eremos.glance.inspect(path)) throw new EremosError("nested", said("is-protected", { path: shown }));
  const above = eremos.glance.protectedAbove(path);
  if (above) throw new EremosError("nested", said("lies-in-protected", { path: shown, above: displayPath(above) }));
}

function overwrittenSentence({ files, left, shared }: Overwritten): string {
  const [first] = left;
  return [
    say("files-overwritten", { files }),
    ...(shared > 0 ? [say("files-shared", { shared })] : []),
    ...(first ? [say("files-left", { left: left.length, first: leftLine(first) })] : []),
  ].join(" ");
}

function leftLine({ path, reason }: NotOverwritten): string {
  return `${displayPath(path)}: ${reason}`;
}

/** Writes over the free space of the disk that a directory lies on. @throws EremosError `outside-places` */
export function overwriteFree(eremos: Eremos, typed: string, from: string): StartedJob<"overwrite-free"> {
  const place = fullPath(typed, eremos.settings.home, from);
  const shown = displayPath(place);
  if (!isInPlaces(shown, eremos.places))
    throw new EremosError(
      "outside-places",
      said("is-outside-places", { path: shown, places: eremos.places.join(", ") }),
    );
  return eremos.jobs.start({
    folder: NO_FOLDER,
    verb: "overwrite",
    request: { verb: "overwrite-free", input: { place, leave: null } },
    before: () => undefined,
    after: async (outcome) => freeSentence(outcome),
    failed: async () => undefined,
  });
}

function freeSentence({ bytes, ended }: FreeSpaceFilled): string {
  return say(`free-${ended}`, { size: formatBytes(bytes) });
}

/** What overwriting reaches on the disk that a path lies on, in words. @throws EremosError `not-found`, `io` */
export function mediumView(eremos: Eremos, typed: string, from: string): MediumView {
  const path = fullPath(typed, eremos.settings.home, from);
  const medium = eremos.glance.medium(path);
  const { contents, names, because, helps } = whatOverwritingReaches(medium);
  const { type, mountedAt } = medium;
  return {
    contents,
    verdict: [say(contents), ...(names === "may-stay" ? [say("names-may-stay")] : [])].join(" "),
    because: because.map((why) => say(why, { type })),
    helps: helps.map((help) => say(help, { mountedAt })),
  };
}

export function overwrittenView({ files, bytes, left, shared }: Overwritten): {
  readonly files: number;
  readonly bytes: number;
  readonly shared: number;
  readonly left: readonly { readonly path: string; readonly reason: string }[];
} {
  return { files, bytes, shared, left: left.map(({ path, reason }) => ({ path: displayPath(path), reason })) };
}

/** Ends what a crash cut off while it was being overwritten; returns how many files went. */
export function finishCutOff(eremos: Eremos): Promise<number> {
  const input = { begunIn: Buffer.from(eremos.data.overwriting) };
  return eremos.run<"finish-overwriting">({ verb: "finish-overwriting", input });
}
