import { parsePasswordHashing } from "@eremos/core";
import type { ActivityView, SettingsView, StateView } from "../contract";
import type { Eremos } from "../eremos";

/** What anybody before the gate may know. */
export function stateOf(eremos: Eremos, signedIn: boolean): StateView {
  const { failures, wait, hint } = eremos.gate;
  return { setUp: eremos.data.owner() !== null, signedIn, hint, failedTries: failures, waitMs: wait };
}

export function settingsOf(eremos: Eremos): SettingsView {
  const { owner } = eremos.requireKeys();
  const { memoryKiB, passes, lanes } = parsePasswordHashing(owner.password.hashing);
  const offLimits = eremos.offLimits.map(({ path, reason }) => ({ path, reason }));
  return { dataDirectory: eremos.data.directory, places: eremos.settings.places, hashing: { memoryKiB, passes, lanes }, offLimits };
}

export function activityOf(eremos: Eremos): readonly ActivityView[] {
  return eremos.registry.events(eremos.requireKeys());
}
