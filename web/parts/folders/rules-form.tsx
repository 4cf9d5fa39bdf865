"use client";
import { type ReactNode, useId } from "react";
import type { LockingRules } from "@eremos/server/contract";

interface RulesFormProps {
  readonly rules: LockingRules;
  /** While a change is being saved: the next one builds on it. */
  readonly disabled: boolean;
  readonly onChange: (rules: LockingRules) => void;
}

const SELECT = "h-9 w-36 rounded-lg border border-line bg-sheet px-2.5 text-sm";
const IDLE = [
  [5, "5 minutes"],
  [15, "15 minutes"],
  [30, "30 minutes"],
  [60, "an hour"],
  [240, "4 hours"],
] as const;
const AFTER = [
  [15, "15 minutes"],
  [60, "an hour"],
  [240, "4 hours"],
  [480, "8 hours"],
] as const;
const SIGN_OUT = [
  ["lock", "lock it"],
  ["ask", "ask me"],
  ["leave", "leave it open"],
] as const;

/** When a folder that lies open locks by itself: each reason for itself. */
export function RulesForm({ rules, disabled, onChange }: RulesFormProps): ReactNode {
  const minutes = (choices: readonly (readonly [number, string])[], value: number | null): ReactNode => (
    <>
      {choices.map(([number, words]) => (
        <option key={number} value={number}>
          {words}
        </option>
      ))}
      {value !== null && !choices.some(([number]) => number === value) && (
        <option value={value}>{value} minutes</option>
      )}
      <option value="">never for that</option>
    </>
  );
  const numberOf = (value: string): number | null => (value === "" ? null : Number(value));
  return (
    <fieldset
      disabled={disabled}
      className="divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4 text-sm"
    >
      <Line label="When nothing in it changes and no program holds its files, for">
        {(id) => (
          <select
            id={id}
            className={SELECT}
            value={rules.idleMinutes ?? ""}
            onChange={(event) => onChange({ ...rules, idleMinutes: numberOf(event.target.value) })}
          >
            {minutes(IDLE, rules.idleMinutes)}
          </select>
        )}
      </Line>
      <Line label="After it was open, used or not, for">
        {(id) => (
          <select
            id={id}
            className={SELECT}
            value={rules.afterMinutes ?? ""}
            onChange={(event) => onChange({ ...rules, afterMinutes: numberOf(event.target.value) })}
          >
            {minutes(AFTER, rules.afterMinutes)}
          </select>
        )}
      </Line>
      <Line label="When you sign out">
        {(id) => (
          <select
            id={id}
            className={SELECT}
            value={rules.atSignOut}
            onChange={(event) =>
              onChange({ ...rules, atSignOut: SIGN_OUT.find(([value]) => value === event.target.value)?.[0] ?? "lock" })
            }
          >
            {SIGN_OUT.map(([value, words]) => (
              <option key={value} value={value}>
                {words}
              </option>
            ))}
          </select>
        )}
      </Line>
      <Line label="When the computer goes to sleep, or the screen is locked">
        {(id) => (
          <select
            id={id}
            className={SELECT}
            value={rules.atSleep ? "lock" : "leave"}
            onChange={(event) => onChange({ ...rules, atSleep: event.target.value === "lock" })}
          >
            <option value="lock">lock it</option>
            <option value="leave">leave it open</option>
          </select>
        )}
      </Line>
      <Line label="When Eremos stops, or was cut off while it was open">
        {(id) => (
          <select
            id={id}
            className={SELECT}
            value={rules.atStop ? "lock" : "leave"}
            onChange={(event) => onChange({ ...rules, atStop: event.target.value === "lock" })}
          >
            <option value="lock">lock it</option>
            <option value="leave">leave it open</option>
          </select>
        )}
      </Line>
    </fieldset>
  );
}

function Line({
  label,
  children,
}: {
  readonly label: string;
  readonly children: (id: string) => ReactNode;
}): ReactNode {
  const id = useId();
  return (
    <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
      <label htmlFor={id}>{label}</label>
      {children(id)}
    </div>
  );
}
