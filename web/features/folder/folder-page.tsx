"use client";
import { isEncrypting, traitsOf } from "@eremos/core/guards";
import { useQuery } from "@tanstack/react-query";
import { ArrowLeft } from "lucide-react";
import Link from "next/link";
import { useRouter } from "next/navigation";
import { type ReactNode, useState } from "react";
import type { FolderView, JobView, Protection } from "@eremos/server/contract";
import { FolderHistory } from "./folder-history";
import { useWithSecret } from "@/parts/secrets/ask-secret";
import { FromDesktop } from "./from-desktop";
import { Forks } from "./forks";
import { Health } from "./health";
import { LastLock } from "./last-lock";
import { LeftOpen } from "./left-open";
import { OwnPassword } from "./own-password";
import { WhoSees } from "./who-sees";
import { FolderTraces } from "@/parts/traces/folder-traces";
import { ACT_WORDS, type Act, actsOf } from "@/parts/folders/acts";
import { isReworked, useActs } from "@/parts/folders/acts-provider";
import { conditionWord, doorwayOf, guardWords } from "@/parts/folders/conditions";
import { JobProgress } from "@/parts/folders/job-progress";
import { MainAction } from "@/parts/folders/main-action";
import { TimeLeft } from "@/parts/folders/time-left";
import { ProtectionChoice } from "@/parts/folders/protection-choice";
import { useSelection } from "@/parts/folders/selection";
import { Button } from "@/ui/button";
import { Confirm } from "@/ui/dialog";
import { Doorway } from "@/ui/doorway";
import { Time } from "@/ui/time";
import { api } from "@/lib/api";
import { formatBytes } from "@/lib/format";
import { KEYS, isRunning, useJobs, useVerb } from "@/lib/queries";
import { say } from "@eremos/words/page/folder";
import { say as sayRemoving } from "@eremos/words/page/removing";

export function FolderPage({ id }: { readonly id: string }): ReactNode {
  const folders = useQuery({ queryKey: KEYS.folders, queryFn: api.folders });
  const jobs = useJobs();
  const folder = folders.data?.find((candidate) => candidate.id === id);
  if (!folders.data) return <div aria-busy="true" />;
  if (!folder) return <NotProtected />;
  if (folder.removed) return <InTrash folder={folder} />;
  const own = jobs.filter((job) => job.folder === id);
  return (
    <main className="h-full overflow-y-auto px-6 py-5 lg:px-10">
      <Link href="/" className="inline-flex items-center gap-1.5 text-sm font-medium text-dusk hover:underline">
        <ArrowLeft className="size-4" aria-hidden />
        {say("desk")}
      </Link>
      <div className="mt-3 grid max-w-[1120px] gap-8 lg:grid-cols-[minmax(0,1fr)_300px]">
        <div className="min-w-0 space-y-8">
          <Head folder={folder} job={own.find(isRunning) ?? null} />
          <Forks folder={folder} />
          <WhoSees folder={folder} />
          <FolderTraces folder={folder} />
          <LastLock folder={folder} />
          <Shows folder={folder} />
          <OwnPassword folder={folder} />
          <LeftOpen folder={folder} />
          <Health folder={folder} jobs={own} />
          <FolderHistory id={id} />
        </div>
        <Facts folder={folder} />
      </div>
    </main>
  );
}

function InTrash({ folder }: { readonly folder: FolderView }): ReactNode {
  const { run, pending } = useActs();
  return (
    <main className="p-10">
      <h1 className="text-2xl">{sayRemoving("lies-in-trash", { name: folder.name })}</h1>
      <p className="mt-2 max-w-md text-mute">
        {sayRemoving("lies-in-trash-text")} {sayRemoving("can-come-back", { days: folder.removed?.daysLeft ?? 0 })}.
      </p>
      <div className="mt-4 flex gap-2">
        <Button tone="dusk" disabled={pending} onClick={() => run("put-back", [folder])}>
          {sayRemoving("put-back")}
        </Button>
        <Button disabled={pending} onClick={() => run("remove", [folder])}>
          {sayRemoving("remove-now")}
        </Button>
      </div>
      <Link href="/" className="mt-6 inline-block font-semibold text-dusk underline underline-offset-4">
        {say("back-desk")}
      </Link>
    </main>
  );
}

function NotProtected(): ReactNode {
  return (
    <main className="p-10">
      <h1 className="text-2xl">{say("this-folder-is-not-protected")}</h1>
      <p className="mt-2 max-w-md text-mute">{say("it-may-have-been-released")}</p>
      <Link href="/" className="mt-4 inline-block font-semibold text-dusk underline underline-offset-4">
        {say("back-desk")}
      </Link>
    </main>
  );
}

/** What its page offers beside the main action. */
const ASIDE: readonly Act[] = ["open-file", "take-back", "move-in", "show"];

function Head({ folder, job }: { readonly folder: FolderView; readonly job: JobView | null }): ReactNode {
  const { run } = useActs();
  const { select } = useSelection();
  const router = useRouter();
  return (
    <header>
      <div className="flex items-start gap-4">
        <Doorway state={job ? "working" : doorwayOf(folder)} className="mt-1 h-12 w-10" />
        <div className="min-w-0 flex-1">
          <h1 className="truncate text-3xl">{folder.name}</h1>
          <p className="truncate text-sm text-mute" title={folder.path}>
            {folder.path}
          </p>
        </div>
      </div>
      <p className="mt-4 text-[15px]">{sentenceOf(folder)}</p>
      {folder.state === "open" && !job && (
        <p className="mt-1 text-sm text-clay">
          <TimeLeft folder={folder} />.
        </p>
      )}
      {folder.isCramped && <p className="mt-1 text-sm text-ochre">{say("there-is-no-room-on")}</p>}
      {job ? (
        <div className="mt-4 rounded-xl border border-line bg-sheet p-4">
          <JobProgress job={job} />
        </div>
      ) : (
        <div className="mt-4 flex flex-wrap gap-2">
          <MainAction folder={folder} size="large" />
          {ASIDE.filter((act) => actsOf(folder).includes(act)).map((act) => (
            <Button key={act} size="large" onClick={() => run(act, [folder])}>
              {ACT_WORDS[act]}
            </Button>
          ))}
          <Button
            size="large"
            onClick={() => {
              select(folder.path);
              router.push("/");
            }}
          >
            {say("show-on-desk")}
          </Button>
        </div>
      )}
      <FromDesktop folder={folder} isBusy={job !== null} />
    </header>
  );
}

function sentenceOf(folder: FolderView): string {
  if (folder.attention !== null) return folder.attention;
  if (folder.state === "open") return say("it-lies-open-at-its");
  if (folder.state === "locked") return lockedSentence(folder);
  if (folder.state === "away") return say("its-drive-is-away-or");
  return say("something-is-being-done-with");
}

function lockedSentence({ guard, visibility, cover }: FolderView): string {
  const where = {
    view: cover === null ? say("is-at-its-place") : say("stands-at-its-place-as", { cover }),
    hidden: say("has-no-name-at-its"),
    tucked: say("is-tucked-away-and-nothing"),
  }[visibility];
  const { encrypts, hasBars } = traitsOf(guard);
  if (hasBars) return say("it-and-system-refuses-what", { where });
  if (!encrypts) return say("it-its-contents-are-not", { where });
  if (visibility === "hidden") return say("it-is-locked-and-its");
  if (visibility === "tucked") return say("it-is-locked-and-tucked");
  return say("it-is-locked-in-view", { where });
}

/** Changed at once while it is locked; from the next lock on while it lies open. */
function Shows({ folder }: { readonly folder: FolderView }): ReactNode {
  const [asking, setAsking] = useState<Protection | null>(null);
  const set = useVerb((protection: Protection) => api.setProtection(folder.id, protection, null));
  const rework = useWithSecret(
    folder,
    say("change-it"),
    (secret, protection: Protection) => api.setProtection(folder.id, protection, secret),
    folder.hasPassword,
  );
  if (folder.state !== "locked" && folder.state !== "open") return null;
  const choose = ({ guard, visibility, cover, icon, bars }: Protection): void => {
    const protection = { guard, visibility, cover, icon, bars };
    if (isReworked(folder, protection)) setAsking(protection);
    else set.run(protection);
  };
  return (
    <section aria-labelledby="shows">
      <h2 id="shows" className="mb-2 text-lg">
        {say("while-it-is-locked")}
      </h2>
      <ProtectionChoice
        value={folder}
        isDrive={folder.kind === "drive"}
        disabled={set.pending || rework.pending}
        onChoose={choose}
      />
      {folder.state === "open" && <p className="mt-2 text-sm text-mute">{say("what-you-choose-holds-from")}</p>}
      <Confirm
        open={asking !== null}
        onOpenChange={(open) => !open && setAsking(null)}
        title={
          asking && isEncrypting(asking)
            ? say("seal", { name: folder.name })
            : say("take-encryption-off", { name: folder.name })
        }
        action={asking && isEncrypting(asking) ? say("seal-it") : say("change-it")}
        tone="dusk"
        onConfirm={() => asking && rework.run(asking)}
      >
        <ReworkWords folder={folder} to={asking} />
      </Confirm>
      {rework.dialog}
    </section>
  );
}

/** From sealed to another guard, or back: every file is written anew. */
function ReworkWords({ folder, to }: { readonly folder: FolderView; readonly to: Protection | null }): ReactNode {
  if (to && isEncrypting(to)) return <p>{say("every-file-is-read-and")}</p>;
  return (
    <>
      <p>
        {say("files-are-decrypted-disk-and", { files: folder.files, bytes: formatBytes(folder.bytes) })}{" "}
        {to && traitsOf(to.guard).word} {say("then-no-other-account-gets")}
      </p>
      <p>{say("after-that-it-is-not", { hasPassword: folder.hasPassword })}</p>
    </>
  );
}

function Facts({ folder }: { readonly folder: FolderView }): ReactNode {
  const rows: readonly (readonly [string, ReactNode])[] = [
    [say("state"), conditionWord(folder)],
    [say("guard"), guardWords(folder)],
    ...(folder.kind === "folder"
      ? []
      : [[say("kind"), folder.kind === "file" ? say("single-file") : say("drives-contents")] as const]),
    [
      say("holds"),
      !isEncrypting(folder)
        ? say("not-encrypted-so-not-counted")
        : folder.files > 0
          ? `${say("files", { files: folder.files })}, ${formatBytes(folder.bytes)}`
          : say("not-known-yet"),
    ],
    [say("protected"), <Time key="p" at={folder.protectedAt} />],
    [say("last-locked"), folder.lockedAt ? <Time key="l" at={folder.lockedAt} /> : say("never")],
    [say("last-opened"), folder.openedAt ? <Time key="o" at={folder.openedAt} /> : say("never")],
    ...(folder.waysBack
      ? [[say("ways-back"), <WaysBack key="w" ways={folder.waysBack} hasPassword={folder.hasPassword} />] as const]
      : []),
    [
      say("on-disk-as"),
      <span key="r" className="break-all">
        {folder.realPath}
      </span>,
    ],
  ];
  return (
    <aside className="space-y-6">
      <dl className="rounded-xl border border-line bg-sheet px-4 py-2 text-sm">
        {rows.map(([term, value]) => (
          <div key={term} className="border-b border-line/70 py-2 last:border-0">
            <dt className="text-[12.5px] text-mute">{term}</dt>
            <dd className="font-medium">{value}</dd>
          </div>
        ))}
      </dl>
      {(folder.state === "locked" || folder.state === "open") && (
        <>
          <ReleaseBox folder={folder} />
          <RemoveBox folder={folder} />
        </>
      )}
    </aside>
  );
}

/** Beside the password, and when each was seen to work. */
function WaysBack({
  ways,
  hasPassword,
}: {
  readonly ways: NonNullable<FolderView["waysBack"]>;
  readonly hasPassword: boolean;
}): ReactNode {
  const tried = (at: number | null): ReactNode =>
    at === null ? (
      <Link href="/ways-back#practice" className="text-dusk underline underline-offset-4">
        {say("not-tried-yet")}
      </Link>
    ) : (
      <>
        {say("tried")} <Time at={at} />
      </>
    );
  return (
    <>
      {say("master-and-own-password-together", { count: ways.count, hasPassword })} {tried(ways.codeProvenAt)}
      {ways.hasKeyholders && (
        <>
          {say("keyholders-shares")} {tried(ways.sharesProvenAt)}
        </>
      )}
    </>
  );
}

function RemoveBox({ folder }: { readonly folder: FolderView }): ReactNode {
  const { run } = useActs();
  return (
    <div className="rounded-xl border border-line p-4 text-sm">
      <h2 className="font-sans text-sm font-semibold">{say("remove")}</h2>
      <p className="mt-1 text-[13px] text-mute">{say("with-what-is-in-it")}</p>
      <Button size="small" className="mt-3" onClick={() => run("remove", [folder])}>
        {ACT_WORDS.remove}
      </Button>
    </div>
  );
}

function ReleaseBox({ folder }: { readonly folder: FolderView }): ReactNode {
  const { run } = useActs();
  return (
    <div className="rounded-xl border border-line p-4 text-sm">
      <h2 className="font-sans text-sm font-semibold">{say("release")}</h2>
      <p className="mt-1 text-[13px] text-mute">{say("takes-protection-off-for-good")}</p>
      <Button size="small" className="mt-3" onClick={() => run("release", [folder])}>
        {ACT_WORDS.release}
      </Button>
    </div>
  );
}
