"use client";
import { type ReactNode, useId } from "react";
import type { Bars, Guard, Protection, Visibility } from "@eremos/server/contract";
import { AGAINST, type Against, GUARD_NAMES, GUARD_TEXTS, LEVELS, LEVEL_WORDS, USUAL_BARS, VISIBILITY_NAMES, VISIBILITY_TEXTS, isSame, withBars, withGuard } from "./protections";
import { Choices } from "@/ui/choice";
import { Doorway } from "@/ui/doorway";

interface ProtectionProps {
  readonly value: Protection;
  readonly disabled?: boolean;
  readonly onChoose: (protection: Protection) => void;
}

/** Who it is meant to stop: one click to what is recommended. */
export function AgainstChoice({ value, onChoose }: ProtectionProps): ReactNode {
  const entries = Object.entries(AGAINST) as [Against, (typeof AGAINST)[Against]][];
  const chosen = entries.find(([, { protection }]) => isSame(protection, value))?.[0] ?? null;
  return (
    <Choices<Against> label="Who is it meant to stop?" columns="two" value={chosen} onChoose={(against) => onChoose(AGAINST[against].protection)}
      choices={entries.map(([against, { title, text, protection }]) => ({ value: against, title, text, sign: <Doorway state={protection.guard} className="h-6 w-5" /> }))} />
  );
}

const GUARDS: readonly Guard[] = ["sealed", "barred", "sight"];
const VISIBILITIES: readonly Visibility[] = ["view", "hidden", "tucked"];

/** The guards that can be had now, and why not the others. */
export interface GuardsNow {
  readonly guards: readonly Guard[];
  readonly why: string;
}

interface FullProps extends ProtectionProps {
  readonly guardsNow?: GuardsNow | null;
}

/** Guard, visibility and rules, each by itself. */
export function ProtectionChoice({ value, disabled = false, onChoose, guardsNow = null }: FullProps): ReactNode {
  return (
    <div className="space-y-3">
      <Choices<Guard> label="Guard" columns="three" value={value.guard} disabled={disabled} onChoose={(guard) => onChoose(withGuard(value, guard))}
        choices={GUARDS.map((guard) => ({ value: guard, title: GUARD_NAMES[guard], text: GUARD_TEXTS[guard], sign: <Doorway state={guard} className="h-6 w-5" />, unavailable: guardsNow && !guardsNow.guards.includes(guard) ? guardsNow.why : null }))} />
      {value.guard === "barred" && <BarsForm bars={value.bars ?? USUAL_BARS} disabled={disabled} onChange={(bars, changed) => onChoose(withBars(value, bars, changed))} />}
      <Choices<Visibility> label="What shows while it is locked" columns="three" value={value.visibility} disabled={disabled} onChoose={(visibility) => onChoose({ ...value, visibility })}
        choices={VISIBILITIES.map((visibility) => ({ value: visibility, title: VISIBILITY_NAMES[visibility], text: VISIBILITY_TEXTS[visibility], unavailable: value.guard === "sight" && visibility === "view" ? "Out of sight means hidden; in view nothing would be protected." : null }))} />
    </div>
  );
}

interface BarsFormProps {
  readonly bars: Bars;
  readonly disabled: boolean;
  readonly onChange: (bars: Bars, changed: keyof Bars) => void;
}

function BarsForm({ bars, disabled, onChange }: BarsFormProps): ReactNode {
  const line = (who: keyof Bars, label: string): ReactNode => <BarLine label={label} level={bars[who]} disabled={disabled} onLevel={(level) => onChange({ ...bars, [who]: level }, who)} />;
  return (
    <div className="divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4 text-sm">
      {line("others", "Other accounts may")}
      {line("own", "This account itself may")}
      <p className="py-2 text-[13px] text-mute">Bars only take away, and opening gives back exactly the permissions there were.</p>
    </div>
  );
}

function BarLine({ label, level, disabled, onLevel }: { readonly label: string; readonly level: Bars["own"]; readonly disabled: boolean; readonly onLevel: (level: Bars["own"]) => void }): ReactNode {
  const id = useId();
  return (
    <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
      <label htmlFor={id}>{label}</label>
      <select id={id} value={level} disabled={disabled} onChange={(event) => onLevel(LEVELS.find((one) => one === event.target.value) ?? "nothing")} className="h-9 w-56 rounded-lg border border-line bg-sheet px-2.5 text-sm">
        {LEVELS.map((one) => <option key={one} value={one}>{LEVEL_WORDS[one]}</option>)}
      </select>
    </div>
  );
}
