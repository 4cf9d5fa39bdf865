"use client";
import { Plus, X } from "lucide-react";
import { type ReactNode, useState } from "react";
import type { KeyholdersView, PasswordChanged } from "@eremos/server/contract";
import { api } from "@/lib/api";
import { useGuarded } from "@/lib/guarded";
import { Button } from "@/ui/button";
import { Field, PasswordField } from "@/ui/field";
import { say } from "@eremos/words/page/ways-back";

const MOST = 15;
const LEAST = 2;

interface Row {
  readonly key: number;
  readonly name: string;
  readonly mail: string;
}

interface NameKeyholdersProps {
  readonly before: KeyholdersView | null;
  readonly replaced: number | null;
  readonly onDone: (changed: PasswordChanged) => void;
  readonly onCancel: () => void;
}

function rowsOf(before: KeyholdersView | null, replaced: number | null): readonly Row[] {
  const known = before?.holders?.map(({ number, name, mail }): Row =>
    number === replaced ? { key: number, name: "", mail: "" } : { key: number, name, mail: mail ?? "" },
  );
  return known ?? [1, 2, 3].map((key) => ({ key, name: "", mail: "" }));
}

/** Who holds a share, and how many of them together open. */
export function NameKeyholders({ before, replaced, onDone, onCancel }: NameKeyholdersProps): ReactNode {
  const [rows, setRows] = useState(() => rowsOf(before, replaced));
  const [of, setOf] = useState(before?.of ?? "");
  const [wanted, setThreshold] = useState(before?.threshold ?? LEAST);
  const [current, setCurrent] = useState("");
  const threshold = Math.min(wanted, Math.max(LEAST, rows.length));
  const name = useGuarded(
    () =>
      api.nameKeyholders({
        current,
        of,
        threshold,
        holders: rows.map((row) => ({ name: row.name.trim(), mail: row.mail.trim() === "" ? null : row.mail.trim() })),
      }),
    onDone,
  );
  const isReady =
    of.trim() !== "" && current !== "" && rows.length >= LEAST && rows.every((row) => row.name.trim() !== "");
  return (
    <form
      className="mt-5 space-y-4"
      onSubmit={(event) => {
        event.preventDefault();
        name.run(undefined);
      }}
    >
      <Field
        label={say("your-name-as-it-stands")}
        autoComplete="name"
        value={of}
        onChange={(event) => setOf(event.target.value)}
        autoFocus={before === null}
      />
      <Rows rows={rows} replaced={replaced} onRows={setRows} />
      <Threshold threshold={threshold} of={rows.length} onThreshold={setThreshold} />
      <PasswordField
        label={say("present-master-password")}
        autoComplete="current-password"
        value={current}
        onChange={(event) => setCurrent(event.target.value)}
        problem={name.problem}
      />
      <div className="flex justify-end gap-2">
        <Button onClick={onCancel}>{say("not-now")}</Button>
        <Button tone="dusk" type="submit" disabled={!isReady || name.isBlocked}>
          {name.label(before ? say("make-new-shares") : say("make-shares"))}
        </Button>
      </div>
    </form>
  );
}

interface RowsProps {
  readonly rows: readonly Row[];
  /** The one that somebody else takes the place of. */
  readonly replaced: number | null;
  readonly onRows: (rows: readonly Row[]) => void;
}

function Rows({ rows, replaced, onRows }: RowsProps): ReactNode {
  const change = (key: number, part: Partial<Row>): void =>
    onRows(rows.map((row) => (row.key === key ? { ...row, ...part } : row)));
  return (
    <fieldset>
      <legend className="mb-1.5 text-sm font-semibold">{say("keyholders")}</legend>
      <ul className="space-y-2">
        {rows.map((row, i) => (
          <li key={row.key} className="flex items-start gap-2 [&_label]:sr-only">
            <Field
              className="flex-1"
              label={say("name-keyholder", { i: i + 1 })}
              placeholder={say("name")}
              autoComplete="off"
              value={row.name}
              autoFocus={replaced === row.key}
              onChange={(event) => change(row.key, { name: event.target.value })}
            />
            <Field
              className="flex-1"
              label={say("mail-address-keyholder", { i: i + 1 })}
              placeholder={say("mail-address-optional")}
              type="email"
              autoComplete="off"
              value={row.mail}
              onChange={(event) => change(row.key, { mail: event.target.value })}
            />
            <button
              type="button"
              className="grid size-11 place-items-center rounded-md text-mute hover:text-ink disabled:opacity-40"
              disabled={rows.length <= LEAST}
              aria-label={say("take-keyholder-away", { i: i + 1 })}
              onClick={() => onRows(rows.filter(({ key }) => key !== row.key))}
            >
              <X className="size-4" aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      {rows.length < MOST && (
        <button
          type="button"
          className="mt-2 inline-flex items-center gap-1.5 text-sm font-medium text-dusk underline underline-offset-4"
          onClick={() => onRows([...rows, { key: Math.max(...rows.map(({ key }) => key)) + 1, name: "", mail: "" }])}
        >
          <Plus className="size-4" aria-hidden />
          {say("one-more")}
        </button>
      )}
    </fieldset>
  );
}

interface ThresholdProps {
  readonly threshold: number;
  readonly of: number;
  readonly onThreshold: (threshold: number) => void;
}

function Threshold({ threshold, of, onThreshold }: ThresholdProps): ReactNode {
  return (
    <>
      <label className="flex items-center gap-3 text-sm font-semibold">
        {say("how-many-together-open")}
        <select
          className="h-11 rounded-lg border border-line-strong/70 bg-sheet px-3"
          value={threshold}
          onChange={(event) => onThreshold(Number(event.target.value))}
        >
          {Array.from({ length: of - LEAST + 1 }, (_, i) => i + LEAST).map((number) => (
            <option key={number} value={number}>
              {say("of-2", { number, of })}
            </option>
          ))}
        </select>
      </label>
      <p className="text-[13px] text-mute">
        {of === threshold ? say("all-them-are-needed-if") : say("shares-may-be-lost-and", { of: of - threshold })}
      </p>
    </>
  );
}
