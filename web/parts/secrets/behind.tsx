import type { ReactNode } from "react";
import type { SettingsView } from "@eremos/server/contract";

/** The folders that the last change of the master password, the recovery code or the keyholders has not reached yet. */
export function Behind({ folders }: { readonly folders: SettingsView["behind"] }): ReactNode {
  if (folders.length === 0) return null;
  return (
    <div className="mt-2 rounded-xl bg-ochre-soft px-4 py-3 text-sm text-ochre">
      <p>
        {folders.length === 1 ? "One folder was" : `${folders.length} folders were`} out of reach at the last change,
        and what opened {folders.length === 1 ? "it" : "them"} before still does. It is tried again by itself while you
        are signed in and {folders.length === 1 ? "it is" : "they are"} there.
      </p>
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
