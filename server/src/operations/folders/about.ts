import { installationOf } from "../../desktop/installation";
import { parsePasswordHashing } from "@eremos/core";
import type { SettingsView, StateView } from "../../contract";
import type { Eremos } from "../../eremos";
import { countOpen } from "../locking/close-up";
import { nameFolder } from "../../paths";
import { placesOf } from "../../settings";
import { foldersBehind, foldersWithEarlierCode } from "../ways-back/renew-headers";

/** What anybody before the gate may know. */
export function stateOf(eremos: Eremos, signedIn: boolean): StateView {
  const owner = eremos.data.owner();
  const { failures, wait, hint } = eremos.gate;
  const keyholders = owner?.keyholders
    ? { threshold: owner.keyholders.threshold, count: owner.keyholders.checks.length }
    : null;
  return {
    keyholders,
    setUp: owner !== null,
    signedIn,
    hint,
    failedTries: failures,
    waitMs: wait,
    pin: eremos.isDozing,
    stays: owner !== null && eremos.stay.isWaiting(owner),
    open: countOpen(eremos),
    ownDataTrouble: eremos.ownDataTrouble,
  };
}

export function settingsOf(eremos: Eremos): SettingsView {
  const keys = eremos.requireKeys();
  const owner = eremos.requireOwner();
  const { memoryKiB, passes, lanes } = parsePasswordHashing(owner.password.hashing);
  const offLimits = eremos.offLimits.map(({ path, reason, removable }) => ({ path, reason, removable }));
  const { version, kind, node, supportedUntil } = installationOf(eremos.settings.program);
  return {
    dataDirectory: eremos.data.directory,
    program: { version, kind, node, supportedUntil },
    placesBefore: placesOf(eremos.settings),
    hashing: { memoryKiB, passes, lanes },
    offLimits,
    hint: eremos.gate.hint,
    preferences: eremos.preferences.get(),
    offLimitsEdits: eremos.preferences.offLimits,
    syncedBefore: eremos.settings.synced,
    hasPin: eremos.pin.isSet,
    stays: eremos.stay.isOn(owner),
    behind: foldersBehind(eremos, keys, owner).map(nameFolder),
    withEarlierCode: foldersWithEarlierCode(eremos, keys, owner).map(nameFolder),
  };
}
