"use client";
import { type ReactNode, useState } from "react";
import { Button } from "@/ui/button";
import { Dialog } from "@/ui/dialog";
import { Field } from "@/ui/field";
import { say } from "@eremos/words/page/visit";

interface NameDialogProps {
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly title: string;
  readonly action: string;
  readonly initial: string;
  readonly onName: (name: string) => void;
}

/** Asks for a name inside the visited folder. */
export function NameDialog({ open, onOpenChange, title, action, initial, onName }: NameDialogProps): ReactNode {
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={title} description={say("inside-visited-folder")}>
      {open && <NameForm action={action} initial={initial} onDone={() => onOpenChange(false)} onName={onName} />}
    </Dialog>
  );
}

const LONGEST_BYTES = 255;

function NameForm({
  action,
  initial,
  onDone,
  onName,
}: Pick<NameDialogProps, "action" | "initial" | "onName"> & { readonly onDone: () => void }): ReactNode {
  const [name, setName] = useState(initial);
  const problem = name.includes("/")
    ? say("name-has-no-slash")
    : name === "." || name === ".."
      ? say("that-stands-for-folder-already")
      : new TextEncoder().encode(name).length > LONGEST_BYTES
        ? say("that-is-too-long-for")
        : null;
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        onName(name);
        onDone();
      }}
    >
      <Field
        label={say("name")}
        autoFocus
        autoComplete="off"
        spellCheck={false}
        value={name}
        onChange={(event) => setName(event.target.value)}
        problem={problem}
      />
      <div className="flex justify-end gap-2">
        <Button onClick={onDone}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={name.trim() === "" || name === initial || problem !== null}>
          {action}
        </Button>
      </div>
    </form>
  );
}
