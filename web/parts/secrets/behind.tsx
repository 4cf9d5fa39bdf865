import type { ReactNode } from "react";
import type { SettingsView } from "@eremos/server/contract";
import { say } from "@eremos/words/page/secrets";

/** The folders that the last change of the master password, the recovery code or the keyholders has not reached yet. */
export function Behind({ folders }: { readonly folders: SettingsView["behind"] }): ReactNode {
  if (folders.length === 0) return null;
  return (
    <div className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
      <p>{say("folders-were-out-reach-at", { folders: folders.length })}</p>
      <ul className="mt-1">
        {folders.map((folder) => (
          <li key={folder.id} className="truncate font-medium" title={folder.path}>
            {folder.path}
          </li>
        ))}
      </ul>
    </div>
  );
}
