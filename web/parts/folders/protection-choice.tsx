"use client";
import { type ReactNode, useId, useState } from "react";
import { type Bars, GUARDS, LEVELS, USUAL_BARS, isEncrypting, traitsOf } from "@eremos/core/guards";
import type { GuardName, Icon, Protection, Visibility } from "@eremos/server/contract";
import {
  AGAINST,
  type Against,
  GUARD_NAMES,
  GUARD_TEXTS,
  LEVEL_WORDS,
  VISIBILITY_NAMES,
  VISIBILITY_TEXTS,
  isSame,
  protectionWords,
  withBars,
  withGuard,
} from "./protections";
import { Button } from "@/ui/button";
import { Choices } from "@/ui/choice";
import { Doorway } from "@/ui/doorway";
import { say } from "@eremos/words/page/folders";

interface ProtectionProps {
  readonly value: Protection;
  readonly disabled?: boolean;
  /** All that is on a drive: it stays mounted where it is, under its own name. */
  readonly isDrive?: boolean;
  readonly onChoose: (protection: Protection) => void;
}

/** Who it is meant to stop: one click to what is recommended. */
function AgainstChoice({ value, onChoose }: ProtectionProps): ReactNode {
  const entries = Object.entries(AGAINST) as [Against, (typeof AGAINST)[Against]][];
  const chosen = entries.find(([, { protection }]) => isSame(protection, value))?.[0] ?? null;
  return (
    <Choices<Against>
      label={say("who-is-it-meant-stop")}
      columns="two"
      value={chosen}
      onChoose={(against) => onChoose(AGAINST[against].protection)}
      choices={entries.map(([against, { title, text, protection }]) => ({
        value: against,
        title,
        text,
        sign: <Doorway state={protection.guard} className="h-6 w-5" />,
      }))}
    />
  );
}

interface PickerProps extends ProtectionProps {
  /** What can be chosen besides, where guard and visibility are. */
  readonly whenFull?: ReactNode;
  /** It begins with all there is to choose. */
  readonly isFull?: boolean;
}

/** Whom it is meant to stop; or, for who asks for it, guard and visibility. What is chosen stands below, in words. */
export function ProtectionPicker({
  value,
  isDrive = false,
  onChoose,
  whenFull,
  isFull: startsFull = false,
}: PickerProps): ReactNode {
  const [isFull, setFull] = useState(startsFull);
  return (
    <>
      {isFull ? (
        <ProtectionChoice isDraft isDrive={isDrive} value={value} onChoose={onChoose} />
      ) : (
        <AgainstChoice value={value} onChoose={onChoose} />
      )}
      {isFull && whenFull}
      <p className="flex flex-wrap items-baseline justify-between gap-x-4 text-sm">
        <span>{protectionWords(value)}.</span>
        <button
          type="button"
          className="font-medium text-dusk underline underline-offset-4"
          onClick={() => setFull(!isFull)}
        >
          {isFull ? say("ask-me-whom-it-is") : say("choose-guard-and-visibility")}
        </button>
      </p>
    </>
  );
}

const VISIBILITIES: readonly Visibility[] = ["view", "hidden", "tucked"];

interface FullProps extends ProtectionProps {
  /** Nothing is done yet with what is chosen: a name counts letter by letter. */
  readonly isDraft?: boolean;
}

/** Guard, visibility and rules, each by itself. */
export function ProtectionChoice({
  value,
  disabled = false,
  isDraft = false,
  isDrive = false,
  onChoose,
}: FullProps): ReactNode {
  return (
    <div className="space-y-3">
      <Choices<GuardName>
        label={say("guard")}
        columns="three"
        value={value.guard}
        disabled={disabled}
        onChoose={(guard) => onChoose(withGuard(value, guard))}
        choices={GUARDS.map((guard) => ({
          value: guard,
          title: GUARD_NAMES[guard],
          text: GUARD_TEXTS[guard],
          sign: <Doorway state={guard} className="h-6 w-5" />,
        }))}
      />
      {traitsOf(value.guard).hasBars && (
        <BarsForm
          bars={value.bars ?? USUAL_BARS}
          disabled={disabled}
          onChange={(bars, changed) => onChoose(withBars(value, bars, changed))}
        />
      )}
      <Choices<Visibility>
        label={say("what-shows-while-it-is")}
        columns="three"
        value={value.visibility}
        disabled={disabled}
        onChoose={(visibility) => onChoose({ ...value, visibility })}
        choices={VISIBILITIES.map((visibility) => ({
          value: visibility,
          title: VISIBILITY_NAMES[visibility],
          text: VISIBILITY_TEXTS[visibility],
          unavailable: whyUnavailable(value, visibility, isDrive),
        }))}
      />
      {value.visibility === "view" && traitsOf(value.guard).worksInView && !isDrive && (
        <CoverForm value={value} disabled={disabled} isDraft={isDraft} onChoose={onChoose} />
      )}
    </div>
  );
}

function whyUnavailable({ guard }: Protection, visibility: Visibility, isDrive: boolean): string | null {
  if (isDrive && visibility === "tucked") return say("drive-stays-mounted");
  return !traitsOf(guard).worksInView && visibility === "view" ? say("out-sight-means-hidden-in") : null;
}

const ICON_WORDS: readonly (readonly [Icon, string])[] = [
  ["x-office-document", "a document"],
  ["x-office-spreadsheet", "a spreadsheet"],
  ["x-office-calendar", "a calendar"],
  ["x-office-address-book", say("address-book")],
  ["text-x-generic", "a text"],
  ["image-x-generic", "a picture"],
  ["audio-x-generic", "sound"],
  ["video-x-generic", "a film"],
  ["package-x-generic", "a package"],
  ["applications-games", "a game"],
  ["user-trash", say("bin")],
];

interface CoverFormProps extends Required<Omit<ProtectionProps, "isDrive">> {
  readonly isDraft: boolean;
}

const INPUT = "h-9 w-56 rounded-lg border border-line bg-sheet px-2.5 text-sm placeholder:text-mute/80";

/**
 * Another name and icon to show while it is locked. Where a choice is carried out at once, a name counts when it is
 * finished.
 */
function CoverForm({ value, disabled, isDraft, onChoose }: CoverFormProps): ReactNode {
  const [typed, setTyped] = useState<string | null>(null);
  const [nameId, iconId] = [useId(), useId()];
  const choose = (name: string): void => {
    setTyped(null);
    onChoose({ ...value, cover: name === "" ? null : name });
  };
  const isUnfinished = typed !== null && typed.trim() !== (value.cover ?? "");
  return (
    <div className="divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4 text-sm">
      <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
        <label htmlFor={nameId}>
          {say("cover-name")}
          <span className="block text-[13px] text-mute">{say("shown-instead-its-own-nothing")}</span>
        </label>
        <span className="flex gap-2">
          {isUnfinished && (
            <Button size="small" disabled={disabled} onClick={() => choose(typed.trim())}>
              {say("use-it")}
            </Button>
          )}
          <input
            id={nameId}
            value={typed ?? value.cover ?? ""}
            disabled={disabled}
            maxLength={120}
            autoComplete="off"
            spellCheck={false}
            placeholder={say("none")}
            className={INPUT}
            onChange={(event) => (isDraft ? choose(event.target.value) : setTyped(event.target.value))}
            onKeyDown={(event) => {
              if (event.key !== "Enter" || !isUnfinished) return;
              event.preventDefault();
              choose(typed.trim());
            }}
          />
        </span>
      </div>
      {isEncrypting(value) && (
        <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
          <label htmlFor={iconId}>
            {say("icon")}
            <span className="block text-[13px] text-mute">{say("in-file-managers-that-know")}</span>
          </label>
          <select
            id={iconId}
            value={value.icon ?? ""}
            disabled={disabled}
            onChange={(event) =>
              onChoose({ ...value, icon: ICON_WORDS.find(([icon]) => icon === event.target.value)?.[0] ?? null })
            }
            className={INPUT}
          >
            <option value="">{say("folder-as-usual")}</option>
            {ICON_WORDS.map(([icon, words]) => (
              <option key={icon} value={icon}>
                {words}
              </option>
            ))}
          </select>
        </div>
      )}
    </div>
  );
}

interface BarsFormProps {
  readonly bars: Bars;
  readonly disabled: boolean;
  readonly onChange: (bars: Bars, changed: keyof Bars) => void;
}

function BarsForm({ bars, disabled, onChange }: BarsFormProps): ReactNode {
  const line = (who: keyof Bars, label: string): ReactNode => (
    <BarLine
      label={label}
      level={bars[who]}
      disabled={disabled}
      onLevel={(level) => onChange({ ...bars, [who]: level }, who)}
    />
  );
  return (
    <div className="divide-y divide-line/70 rounded-xl border border-line bg-sheet px-4 text-sm">
      {line("others", say("other-accounts-may"))}
      {line("own", say("this-account-itself-may"))}
      <p className="py-2 text-[13px] text-mute">{say("bars-only-take-away-and")}</p>
    </div>
  );
}

function BarLine({
  label,
  level,
  disabled,
  onLevel,
}: {
  readonly label: string;
  readonly level: Bars["own"];
  readonly disabled: boolean;
  readonly onLevel: (level: Bars["own"]) => void;
}): ReactNode {
  const id = useId();
  return (
    <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 py-2">
      <label htmlFor={id}>{label}</label>
      <select
        id={id}
        value={level}
        disabled={disabled}
        onChange={(event) => onLevel(LEVELS.find((one) => one === event.target.value) ?? "nothing")}
        className="h-9 w-56 rounded-lg border border-line bg-sheet px-2.5 text-sm"
      >
        {LEVELS.map((one) => (
          <option key={one} value={one}>
            {LEVEL_WORDS[one]}
          </option>
        ))}
      </select>
    </div>
  );
}
