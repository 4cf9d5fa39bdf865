import type { ReactNode } from "react";
import type { ActivityGroup, ActivityPage, ActivityWho } from "@eremos/server/contract";
import { GROUPS, type Sought, TIMES, WHO } from "./sought";
import { Select } from "@/ui/select";
import { SmallField } from "@/ui/small-field";
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
      <SmallField
        className="col-span-full sm:col-span-1 lg:w-52"
        label={say("find-in-it")}
        type="search"
        autoComplete="off"
        value={sought.find}
        onChange={(find) => onSeek({ find })}
      />
      {folders && <FolderSelect className="lg:w-44" sought={sought} folders={folders} onSeek={onSeek} />}
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

interface FolderSelectProps extends Omit<FilterBarProps, "folders"> {
  readonly folders: ActivityPage["folders"];
  readonly className: string;
}

/** One folder that is told of, or all. */
export function FolderSelect({ sought, folders, onSeek, className }: FolderSelectProps): ReactNode {
  return (
    <Select
      className={className}
      label={say("folder")}
      value={sought.folder ?? ""}
      choices={[["", say("every-folder")], ...folders.map(({ id, name }) => [id, name] as const)]}
      onChoose={(folder) => onSeek({ folder: folder === "" ? null : folder })}
    />
  );
}

const DAY = { type: "date", className: "lg:w-40" } as const;

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
          <SmallField
            {...DAY}
            label={say("from-day")}
            value={sought.fromDay}
            onChange={(fromDay) => onSeek({ fromDay })}
          />
          <SmallField {...DAY} label={say("to-day")} value={sought.toDay} onChange={(toDay) => onSeek({ toDay })} />
        </>
      )}
    </>
  );
}
