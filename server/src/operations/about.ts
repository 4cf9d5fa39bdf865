import { parsePasswordHashing } from "@eremos/core";
import type { ActivityView, SettingsView, StateView } from "../contract";
import type { Eremos } from "../eremos";
import { nameFolder } from "./paths";
import { foldersBehind, foldersWithEarlierCode } from "./renew-headers";

/** What anybody before the gate may know. */
export function stateOf(eremos: Eremos, signedIn: boolean): StateView {
  const { failures, wait, hint } = eremos.gate;
  return { setUp: eremos.data.owner() !== null, signedIn, hint, failedTries: failures, waitMs: wait, pin: eremos.isDozing };
}

export function settingsOf(eremos: Eremos): SettingsView {
  eremos.requireKeys();
  const owner = eremos.requireOwner();
  const { memoryKiB, passes, lanes } = parsePasswordHashing(owner.password.hashing);
  const offLimits = eremos.offLimits.map(({ path, reason, removable }) => ({ path, reason, removable }));
  return { dataDirectory: eremos.data.directory, places: eremos.settings.places, hashing: { memoryKiB, passes, lanes }, offLimits, hint: eremos.gate.hint, preferences: eremos.preferences.get(), offLimitsEdits: eremos.preferences.offLimits, hasPin: eremos.pin.isSet, behind: foldersBehind(eremos, owner).map(nameFolder), withEarlierCode: foldersWithEarlierCode(eremos, owner).map(nameFolder) };
}

export function activityOf(eremos: Eremos): readonly ActivityView[] {
  return eremos.registry.events(eremos.requireKeys());
}
