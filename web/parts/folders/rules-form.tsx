"use client";
import { type ReactNode, useId } from "react";
import type { LockingRules } from "@eremos/server/contract";
import { OVERWRITES_WORDS, overwritesOf } from "@/parts/overwriting/overwrites-choice";
import { say } from "@eremos/words/page/folders";
import { say as sayRemoving } from "@eremos/words/page/removing";

interface RulesFormProps {
  readonly rules: LockingRules;
  /** While a change is being saved: the next one builds on it. */
  readonly disabled: boolean;
  readonly onChange: (rules: LockingRules) => void;
}

const SELECT = "h-9 w-48 rounded-lg border border-line bg-sheet px-2.5 text-sm";
const IDLE = [
  [5, "5 minutes"],
  [15, "15 minutes"],
  [30, "30 minutes"],
  [60, say("hour")],
  [240, "4 hours"],
] as const;
const AFTER = [
  [15, "15 minutes"],
  [60, say("hour")],
  [240, "4 hours"],
  [480, "8 hours"],
] as const;
const SIGN_OUT = [
  ["lock", say("lock-it")],
  ["ask", say("ask-me")],
  ["leave", say("leave-it-open")],
] as const;
const LOCK_OR_LEAVE = [
  ["lock", say("lock-it")],
  ["leave", say("leave-it-open")],
] as const;

/** When a folder that lies open locks by itself: each reason for itself. */
export function RulesForm({ rules, disabled, onChange }: RulesFormProps): ReactNode {
  return (
    <fieldset
      disabled={disabled}
      className="divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4 text-sm"
    >
      <Minutes
        label={say("when-nothing-in-it-changes")}
        choices={IDLE}
        value={rules.idleMinutes}
        onChoose={(idleMinutes) => onChange({ ...rules, idleMinutes })}
      />
      <Minutes
        label={say("after-it-was-open-used")}
        choices={AFTER}
        value={rules.afterMinutes}
        onChoose={(afterMinutes) => onChange({ ...rules, afterMinutes })}
      />
      <Line
        label={say("when-you-sign-out")}
        choices={SIGN_OUT}
        value={rules.atSignOut}
        onChoose={(atSignOut) => onChange({ ...rules, atSignOut })}
      />
      <Line
        label={say("when-computer-goes-sleep-or")}
        choices={LOCK_OR_LEAVE}
        value={rules.atSleep ? "lock" : "leave"}
        onChoose={(what) => onChange({ ...rules, atSleep: what === "lock" })}
      />
      <Line
        label={say("when-eremos-stops-or-was")}
        choices={LOCK_OR_LEAVE}
        value={rules.atStop ? "lock" : "leave"}
        onChoose={(what) => onChange({ ...rules, atStop: what === "lock" })}
      />
      <Line
        label={sayRemoving("readable-copy")}
        choices={OVERWRITES_WORDS}
        value={String(rules.overwrites) as (typeof OVERWRITES_WORDS)[number][0]}
        onChoose={(chosen) => onChange({ ...rules, overwrites: overwritesOf(chosen) })}
      />
    </fieldset>
  );
}

interface MinutesProps {
  readonly label: string;
  readonly choices: readonly (readonly [number, string])[];
  /** Null: it never locks for that. */
  readonly value: number | null;
  readonly onChoose: (minutes: number | null) => void;
}

function Minutes({ label, choices, value, onChoose }: MinutesProps): ReactNode {
  const isOther = value !== null && !choices.some(([minutes]) => minutes === value);
  return (
    <Line
      label={label}
      choices={[
        ...choices.map(([minutes, words]) => [String(minutes), words] as const),
        ...(isOther ? [[String(value), say("minutes", { value })] as const] : []),
        ["", say("never-for-that")],
      ]}
      value={String(value ?? "")}
      onChoose={(chosen) => onChoose(chosen === "" ? null : Number(chosen))}
    />
  );
}

interface LineProps<V extends string> {
  readonly label: string;
  readonly choices: readonly (readonly [V, string])[];
  readonly value: V;
  readonly onChoose: (value: V) => void;
}

function Line<V extends string>({ label, choices, value, onChoose }: LineProps<V>): ReactNode {
  const id = useId();
  return (
    <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
      <label htmlFor={id}>{label}</label>
      <select id={id} className={SELECT} value={value} onChange={(event) => onChoose(event.target.value as V)}>
        {choices.map(([choice, words]) => (
          <option key={choice} value={choice}>
            {words}
          </option>
        ))}
      </select>
    </div>
  );
}
