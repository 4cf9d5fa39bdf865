import { type ReactNode, useId } from "react";
import type { ActivityGroup, ActivityPage, ActivityWho } from "@eremos/server/contract";
import { GROUPS, type Sought, TIMES, WHO } from "./sought";
import { Select } from "@/ui/select";
import { say } from "@eremos/words/page/activity";

interface FilterBarProps {
  readonly sought: Sought;
  /** Null: it is about one alone. */
  readonly folders: ActivityPage["folders"] | null;
  readonly onSeek: (change: Partial<Sought>) => void;
}

/** Every way to look for something in the history. */
export function FilterBar({ sought, folders, onSeek }: FilterBarProps): ReactNode {
  return (
    <div role="search" className="grid grid-cols-2 gap-x-3 gap-y-2 sm:grid-cols-3 lg:flex lg:flex-wrap lg:items-end">
      <FindField value={sought.find} onChange={(find) => onSeek({ find })} />
      {folders && (
        <Select
          className="lg:w-44"
          label={say("folder")}
          value={sought.folder ?? ""}
          choices={[["", say("every-folder")], ...folders.map(({ id, name }) => [id, name] as const)]}
          onChoose={(folder) => onSeek({ folder: folder === "" ? null : folder })}
        />
      )}
      <Select<ActivityGroup | "">
        className="lg:w-64"
        label={say("kind")}
        value={sought.group ?? ""}
        choices={[["", say("every-kind")], ...GROUPS]}
        onChoose={(group) => onSeek({ group: group === "" ? null : group })}
      />
      <Select<ActivityWho | "">
        className="lg:w-40"
        label={say("who")}
        value={sought.who ?? ""}
        choices={[["", say("everybody")], ...WHO]}
        onChoose={(who) => onSeek({ who: who === "" ? null : who })}
      />
      <TimeSelect sought={sought} onSeek={onSeek} />
    </div>
  );
}

/** From when to when: some days back, or from a day to a day. */
export function TimeSelect({ sought, onSeek }: Pick<FilterBarProps, "sought" | "onSeek">): ReactNode {
  return (
    <>
      <Select
        className="lg:w-44"
        label={say("time")}
        value={sought.time}
        choices={TIMES}
        onChoose={(time) => onSeek({ time })}
      />
      {sought.time === "days" && (
        <>
          <DayField label={say("from-day")} value={sought.fromDay} onChange={(fromDay) => onSeek({ fromDay })} />
          <DayField label={say("to-day")} value={sought.toDay} onChange={(toDay) => onSeek({ toDay })} />
        </>
      )}
    </>
  );
}

interface TextProps {
  readonly value: string;
  readonly onChange: (value: string) => void;
}
const INPUT = "h-9 w-full rounded-lg border border-line bg-sheet px-2.5 text-sm";

function FindField({ value, onChange }: TextProps): ReactNode {
  const id = useId();
  return (
    <div className="col-span-full min-w-0 sm:col-span-1 lg:w-52">
      <label htmlFor={id} className="mb-1 block text-[12.5px] text-mute">
        {say("find-in-it")}
      </label>
      <input
        id={id}
        type="search"
        value={value}
        onChange={(event) => onChange(event.target.value)}
        className={INPUT}
        autoComplete="off"
      />
    </div>
  );
}

function DayField({ label, value, onChange }: TextProps & { readonly label: string }): ReactNode {
  const id = useId();
  return (
    <div className="min-w-0 lg:w-40">
      <label htmlFor={id} className="mb-1 block text-[12.5px] text-mute">
        {label}
      </label>
      <input id={id} type="date" value={value} onChange={(event) => onChange(event.target.value)} className={INPUT} />
    </div>
  );
}
