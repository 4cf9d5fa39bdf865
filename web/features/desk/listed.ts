import type { DeskView, FolderView, JobView } from "@eremos/server/contract";
import { GROUP_WORDS, type Group, conditionWord, groupOf } from "@/parts/folders/conditions";
import { GUARD_NAMES } from "@/parts/folders/protections";
import { baseName, parentOf } from "@/lib/format";
import { say } from "@eremos/words/page/desk";

export interface Listed {
  readonly folder: FolderView;
  readonly job: JobView | null;
  readonly group: Group;
}

/** By what the list can be narrowed down. */
export const FACETS = ["state", "guard", "place", "drive"] as const;
export type Facet = (typeof FACETS)[number];
/** Of each facet the values that are shown; none: all. */
export type Filters = Readonly<Record<Facet, readonly string[]>>;
export const NO_FILTERS: Filters = { state: [], guard: [], place: [], drive: [] };

const VALUE_OF: Readonly<Record<Facet, (listed: Listed) => { readonly value: string; readonly label: string }>> = {
  state: ({ group }) => ({ value: group, label: GROUP_WORDS[group] }),
  guard: ({ folder }) => ({ value: folder.guard, label: GUARD_NAMES[folder.guard] }),
  place: ({ folder }) => ({ value: parentOf(folder.path), label: baseName(parentOf(folder.path)) }),
  drive: ({ folder }) => ({
    value: folder.drive ?? "",
    label: folder.drive === null ? say("this-computer") : baseName(folder.drive),
  }),
};

/** What can be ticked: every value that some folder has, in the order of its words. */
export function valuesOf(facet: Facet, listed: readonly Listed[]): readonly { value: string; label: string }[] {
  const values = new Map(listed.map(VALUE_OF[facet]).map(({ value, label }) => [value, label]));
  return [...values].map(([value, label]) => ({ value, label })).sort((a, b) => compare(a.label, b.label));
}

export function isFiltered(filters: Filters): boolean {
  return FACETS.some((facet) => filters[facet].length > 0);
}

export function toggled(filters: Filters, facet: Facet, value: string): Filters {
  const now = filters[facet];
  return { ...filters, [facet]: now.includes(value) ? now.filter((one) => one !== value) : [...now, value] };
}

const compare = new Intl.Collator().compare;
/** In the order in which they stand on the Desk. */
export const GROUPS = Object.keys(GROUP_WORDS) as readonly Group[];

const ORDERS: Readonly<Record<DeskView["sort"], (a: Listed, b: Listed) => number>> = {
  state: (a, b) =>
    GROUPS.indexOf(a.group) - GROUPS.indexOf(b.group) || compare(conditionWord(a.folder), conditionWord(b.folder)),
  name: () => 0,
  size: (a, b) => a.folder.bytes - b.folder.bytes,
  opened: (a, b) => (a.folder.openedAt ?? 0) - (b.folder.openedAt ?? 0),
  place: (a, b) => compare(parentOf(a.folder.path), parentOf(b.folder.path)),
};

/** Those that the filters let through, in the order that was chosen; alike ones by their names. */
export function listedIn(all: readonly Listed[], filters: Filters, { sort, isDescending }: DeskView): Listed[] {
  const shown = all.filter((listed) =>
    FACETS.every((facet) => filters[facet].length === 0 || filters[facet].includes(VALUE_OF[facet](listed).value)),
  );
  const byName = (a: Listed, b: Listed): number =>
    compare(a.folder.name, b.folder.name) || compare(a.folder.path, b.folder.path);
  const [way, order] = [isDescending ? -1 : 1, ORDERS[sort]];
  return shown.sort((a, b) => way * (order(a, b) || (sort === "name" ? byName(a, b) : 0)) || byName(a, b));
}

export function listedOf(folders: readonly FolderView[], jobs: readonly JobView[]): Listed[] {
  const running = new Map(jobs.map((job) => [job.folder, job]));
  return folders.map((folder) => {
    const job = running.get(folder.id) ?? null;
    return { folder, job, group: job ? "working" : groupOf(folder) };
  });
}
