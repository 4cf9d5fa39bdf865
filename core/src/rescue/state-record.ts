import { isEremosError } from "../errors/eremos-error";
import { type StateRecord, readState, stateName, stateWriterOf } from "../format/state";
import { type RescueSource, readWhole } from "./source";
import { say } from "@eremos/words/core/rescue";

/**
 * What the state records of a folder tell, of which there may be one of each computer that was at work in it. FORMAT.md
 * §7.
 */
export interface FoundState {
  /** The one that governs; null where none can be read. */
  readonly record: StateRecord | null;
  /** It was written at another place, and came here with a copy: whether files lie readable here, it does not tell. */
  readonly isElsewhere: boolean;
  /** Digests of the states that other records name, whose writers were done with them. */
  readonly named: ReadonlySet<string>;
  /** There are some, readable or not. */
  readonly isThere: boolean;
  readonly problems: readonly string[];
}

export async function findState(source: RescueSource): Promise<FoundState> {
  const problems: string[] = [];
  const names = [...(await source.list(".eremos")), ...(await source.list(".eremos/insurance"))];
  const writers = [...new Set(names.flatMap((name) => stateWriterOf(name) ?? []))].sort();
  const records: StateRecord[] = [];
  for (const writer of writers) records.push(...(await recordOf(source, writer, problems)));
  const { place: here = null } = source;
  const isHere = ({ place }: StateRecord): boolean => place === null || here === null || place === here;
  const ofPlace = records.filter(isHere);
  const [record = null] = (ofPlace.length > 0 ? ofPlace : records).sort((a, b) => b.sequence - a.sequence);
  if (writers.length === 0) problems.push(say("state-record-in-eremos-is"));
  const others = records.filter(
    (one) => one !== record && (one.state === "sealed" || one.state === "open") && one.next === null,
  );
  const named = new Set(others.flatMap(({ generation }) => generation?.digest ?? []));
  return { record, named, isElsewhere: record !== null && !isHere(record), isThere: writers.length > 0, problems };
}

async function recordOf(source: RescueSource, writer: string, problems: string[]): Promise<StateRecord[]> {
  const name = stateName(writer).toString("latin1");
  for (const path of [
    `.eremos/${name}`,
    `.eremos/${name.replace(".json", ".twin.json")}`,
    `.eremos/insurance/${name}`,
  ]) {
    const bytes = await readWhole(source, path);
    if (!bytes) continue;
    try {
      const record = readState(bytes);
      if (record.by === writer) return [record];
      problems.push(say("it-lies-under-name-another", { path }));
    } catch (error) {
      if (!isEremosError(error)) throw error;
      problems.push(`${path}: ${error.message}`);
    }
  }
  return [];
}
