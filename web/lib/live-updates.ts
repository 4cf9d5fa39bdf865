"use client";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { followEvents } from "./events";
import { KEYS } from "./queries";

/**
 * The page follows the server, and through it the disk and the command line; at the gate it follows that the server is
 * there at all.
 */
export function useLiveUpdates(onSignedOut: () => void): void {
  const client = useQueryClient();
  useEffect(
    () =>
      followEvents({
        onSignedOut,
        onChange: (change) => {
          const ask = (...key: readonly unknown[]): void => void client.invalidateQueries({ queryKey: key });
          if (change.topic === "jobs") ask(...KEYS.jobs);
          if (change.topic === "session" || change.topic === "gate")
            for (const key of [KEYS.state, KEYS.settings, KEYS.keyholders, KEYS.sharesSets]) ask(...key);
          if (change.topic === "folders")
            for (const key of [
              KEYS.folders,
              KEYS.roots,
              KEYS.settings,
              KEYS.interruptions,
              KEYS.newKeys,
              ["place"],
              ["onlooker"],
              ["reach"],
              KEYS.keptTraces,
            ])
              ask(...key);
          if (change.topic === "activity") ask(...KEYS.activity);
          if (change.topic === "scan") for (const key of [KEYS.scan, KEYS.hidden]) ask(...key);
          if (change.topic === "place" && change.path !== undefined) {
            ask(...KEYS.place(change.path));
            ask("onlooker", change.path);
            ask(...KEYS.folders);
          }
        },
      }),
    [client, onSignedOut],
  );
}
