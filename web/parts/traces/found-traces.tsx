"use client";
import { type ReactNode, useState } from "react";
import type { TraceKind, TracesView } from "@eremos/server/contract";
import { MediumTruth } from "@/parts/overwriting/medium-truth";
import type { WhatThen } from "@/lib/api";
import { Button } from "@/ui/button";
import { Tick } from "@/ui/tick";
import { Trouble } from "@/ui/trouble";
import { KINDS, KIND_WORDS } from "./kinds";
import { say as sayRemoving } from "@eremos/words/page/removing";
import { say } from "@eremos/words/page/traces";

type Trace = TracesView["traces"][number];

/** So many of a kind are shown; the others go with it. */
const MOST_SHOWN = 300;

interface FoundTracesProps {
  readonly found: TracesView;
  readonly isBusy: boolean;
  readonly onClear: (traces: readonly Trace[], then: WhatThen) => void;
}

/** What was found, kind by kind, and which of it goes. What surely belongs to the folder is chosen first. */
export function FoundTraces({ found, isBusy, onClear }: FoundTracesProps): ReactNode {
  const { traces, troubles, writers } = found;
  const [turned, setTurned] = useState<ReadonlyMap<string, boolean>>(new Map());
  const isChosen = (trace: Trace): boolean => trace.clearable && (turned.get(trace.id) ?? trace.isSure);
  const clearable = traces.filter((trace) => trace.clearable);
  const chosen = clearable.filter(isChosen);
  const choose = (some: readonly Trace[], goes: boolean): void =>
    setTurned(new Map([...turned, ...some.map(({ id }) => [id, goes] as const)]));
  const programs = [...new Set(writers.map(({ program }) => program))];
  return (
    <div className="space-y-3" aria-live="polite">
      <div className="flex flex-wrap items-center justify-between gap-2">
        {traces.length > 0 && (
          <p className="text-[15px] font-medium">{say("so-many-traces", { traces: traces.length })}</p>
        )}
        {clearable.length > 1 && (
          <span className="flex gap-1">
            <Button size="small" tone="quiet" onClick={() => choose(clearable, true)}>
              {say("choose-all")}
            </Button>
            <Button size="small" tone="quiet" onClick={() => choose(clearable, false)}>
              {say("choose-none")}
            </Button>
          </span>
        )}
      </div>
      {KINDS.filter((kind) => traces.some((trace) => trace.kind === kind)).map((kind) => (
        <KindOf
          key={kind}
          kind={kind}
          traces={traces.filter((trace) => trace.kind === kind)}
          isChosen={isChosen}
          choose={choose}
        />
      ))}
      {troubles.map(({ where, reason }) => (
        <Trouble key={where} words={`${where}: ${reason}`} />
      ))}
      {programs.length > 0 && chosen.length > 0 && (
        <p className="text-[13px] text-ochre">
          {say("programs-write-back", { programs: programs.join(", "), count: programs.length })}
        </p>
      )}
      {clearable.length > 0 && (
        <ClearBar
          at={clearable[0]?.where ?? ""}
          chosen={chosen.length}
          isBusy={isBusy}
          onClear={(then) => onClear(chosen, then)}
        />
      )}
    </div>
  );
}

interface ClearBarProps {
  /** Where one of them is: of that disk it is said what overwriting does. */
  readonly at: string;
  readonly chosen: number;
  readonly isBusy: boolean;
  readonly onClear: (then: WhatThen) => void;
}

/** What becomes of what is cleared: kept, gone, or written over. */
function ClearBar({ at, chosen, isBusy, onClear }: ClearBarProps): ReactNode {
  const [isKept, setKept] = useState(true);
  const [isOver, setOver] = useState(false);
  return (
    <div className="flex flex-wrap items-center justify-between gap-3 rounded-xl border border-line bg-sheet px-4 py-3 text-sm">
      <div className="min-w-0 flex-1 basis-64 space-y-2">
        <Tick
          value={isKept}
          onChange={setKept}
          label={
            <>
              {say("can-be-put-back")}
              {!isKept && <span className="block text-oxblood">{say("cant-be-put-back")}</span>}
            </>
          }
        />
        {!isKept && <Tick label={sayRemoving("overwrite-instead")} value={isOver} onChange={setOver} />}
        {!isKept && isOver && <MediumTruth path={at} />}
      </div>
      <Button
        tone={isKept ? "dusk" : "oxblood"}
        disabled={isBusy || chosen === 0}
        onClick={() => onClear(isKept ? "kept" : isOver ? "overwritten" : "gone")}
      >
        {say("clear-chosen", { chosen })}
      </Button>
    </div>
  );
}

interface KindOfProps {
  readonly kind: TraceKind;
  readonly traces: readonly Trace[];
  readonly isChosen: (trace: Trace) => boolean;
  readonly choose: (some: readonly Trace[], goes: boolean) => void;
}

function KindOf({ kind, traces, isChosen, choose }: KindOfProps): ReactNode {
  const { name, about } = KIND_WORDS[kind];
  const clearable = traces.filter((trace) => trace.clearable);
  const chosen = clearable.filter(isChosen).length;
  return (
    <div className="flex items-start rounded-xl border border-line bg-sheet">
      <input
        type="checkbox"
        className="mt-3.5 ml-4"
        aria-label={say("choose-kind", { kind: name })}
        disabled={clearable.length === 0}
        checked={chosen > 0 && chosen === clearable.length}
        ref={(box) => {
          if (box) box.indeterminate = chosen > 0 && chosen < clearable.length;
        }}
        onChange={(event) => choose(clearable, event.target.checked)}
      />
      <details className="min-w-0 flex-1">
        <summary className="cursor-pointer px-3 py-2.5 text-sm">
          <span className="font-semibold">{name}</span>{" "}
          <span className="text-mute">{say("gives-away", { count: traces.length, gives: givesMost(traces) })}</span>
        </summary>
        <p className="px-3 pb-2 text-[13px] text-mute">{about}</p>
        <ul className="max-h-72 divide-y divide-line overflow-y-auto border-t border-line text-[13px]">
          {traces.slice(0, MOST_SHOWN).map((trace) => (
            <li key={trace.id} className="px-3 py-2">
              <label className="flex items-start gap-2">
                <input
                  type="checkbox"
                  className="mt-1"
                  disabled={!trace.clearable}
                  checked={isChosen(trace)}
                  onChange={(event) => choose([trace], event.target.checked)}
                />
                <span className="min-w-0">
                  <bdi className="block font-mono break-words whitespace-pre-wrap">{trace.what.trimEnd()}</bdi>
                  <bdi className="block break-words text-mute">
                    {trace.where === trace.what ? null : trace.where}
                    {!trace.isSure && trace.kind === "shell" && ` · ${say("by-name-only")}`}
                  </bdi>
                </span>
              </label>
            </li>
          ))}
          {traces.length > MOST_SHOWN && (
            <li className="px-3 py-2 text-mute">{say("and-more-of-them", { more: traces.length - MOST_SHOWN })}</li>
          )}
        </ul>
      </details>
    </div>
  );
}

/** The worst that any of them gives away. */
function givesMost(traces: readonly Trace[]): Trace["gives"] {
  return (["contents", "picture"] as const).find((gives) => traces.some((trace) => trace.gives === gives)) ?? "name";
}
