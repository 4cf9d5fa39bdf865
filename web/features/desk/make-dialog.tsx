"use client";
import { type ReactNode, useState } from "react";
import { ProtectionPicker } from "@/parts/folders/protection-choice";
import { PathField } from "@/parts/folders/path-field";
import { useProtection } from "@/parts/folders/usual";
import { useSelection } from "@/parts/folders/selection";
import { Button } from "@/ui/button";
import { Dialog, DialogEnd } from "@/ui/dialog";
import { Field } from "@/ui/field";
import { api } from "@/lib/api";
import { baseName, parentOf } from "@/lib/format";
import { useGuarded } from "@/lib/guarded";
import { say } from "@eremos/words/page/desk";

/** A private folder from nothing. */
export function MakeDialog(): ReactNode {
  const { making, make } = useSelection();
  return (
    <Dialog
      open={making !== null}
      onOpenChange={(open) => !open && make(null)}
      title={say("new-private-folder-title")}
      description={say("it-is-locked-before")}
    >
      {making !== null && <MakeForm key={making} start={making} />}
    </Dialog>
  );
}

/** `start`: the whole path it is to have, or, ending with a slash, where it is to lie. */
function MakeForm({ start }: { readonly start: string }): ReactNode {
  const { make, select } = useSelection();
  const [name, setName] = useState(baseName(start));
  const [place, setPlace] = useState(start === "" ? "" : parentOf(start));
  const [protection, setProtection] = useProtection();
  const path = `${place.replace(/\/+$/, "")}/${name.trim()}`;
  const isNamed = name.trim() !== "" && !name.includes("/");
  const create = useGuarded(
    () => api.makeFolder(path, { ...protection, cover: null }),
    () => {
      select(path);
      make(null);
    },
  );
  return (
    <form
      className="mt-5 space-y-5"
      onSubmit={(event) => {
        event.preventDefault();
        create.run(undefined);
      }}
    >
      <Field
        label={say("its-name")}
        autoFocus
        autoComplete="off"
        spellCheck={false}
        value={name}
        onChange={(event) => setName(event.target.value)}
        problem={name.includes("/") ? say("no-slash-in-name") : null}
      />
      <PathField label={say("where-it-is-to-lie")} wants="folder" path={place} onPath={setPlace} />
      <ProtectionPicker value={protection} onChoose={setProtection} />
      <p className="min-h-5 text-sm text-oxblood" role="alert">
        {create.problem}
      </p>
      <DialogEnd>
        <Button onClick={() => make(null)}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!isNamed || place.trim() === "" || create.isBlocked}>
          {create.label(say("make-it-locked"))}
        </Button>
      </DialogEnd>
    </form>
  );
}
