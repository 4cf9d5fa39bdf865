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
import { Forks } from "./forks";
import { Health } from "./health";
import { LastLock } from "./last-lock";
import { LeftOpen } from "./left-open";
import { OwnPassword } from "./own-password";
import { WhoSees } from "./who-sees";
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
import { count, formatBytes } from "@/lib/format";
import { KEYS, isRunning, useJobs, useVerb } from "@/lib/queries";

export function FolderPage({ id }: { readonly id: string }): ReactNode {
  const folders = useQuery({ queryKey: KEYS.folders, queryFn: api.folders });
  const jobs = useJobs();
  const folder = folders.data?.find((candidate) => candidate.id === id);
  if (!folders.data) return <div aria-busy="true" />;
  if (!folder) return <NotProtected />;
  const own = jobs.filter((job) => job.folder === id);
  return (
    <main className="h-full overflow-y-auto px-6 py-5 lg:px-10">
      <Link href="/" className="inline-flex items-center gap-1.5 text-sm font-medium text-dusk hover:underline">
        <ArrowLeft className="size-4" aria-hidden />
        Desk
      </Link>
      <div className="mt-3 grid max-w-[1120px] gap-8 lg:grid-cols-[minmax(0,1fr)_300px]">
        <div className="min-w-0 space-y-8">
          <Head folder={folder} job={own.find(isRunning) ?? null} />
          <Forks folder={folder} />
          <WhoSees folder={folder} />
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

function NotProtected(): ReactNode {
  return (
    <main className="p-10">
      <h1 className="text-2xl">This folder is not protected</h1>
      <p className="mt-2 max-w-md text-mute">
        It may have been released since, or the address belongs to another owner&rsquo;s Eremos. Nothing was touched.
      </p>
      <Link href="/" className="mt-4 inline-block font-semibold text-dusk underline underline-offset-4">
        Back to the Desk
      </Link>
    </main>
  );
}

function Head({ folder, job }: { readonly folder: FolderView; readonly job: JobView | null }): ReactNode {
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
      {folder.isCramped && (
        <p className="mt-1 text-sm text-ochre">
          There is no room on this disk for the encrypted copy beside the open one. Opening goes file by file: nothing
          can get lost, but while it is open you can&apos;t put it back as it was at the last lock.
        </p>
      )}
      {job ? (
        <div className="mt-4 rounded-xl border border-line bg-sheet p-4">
          <JobProgress job={job} />
        </div>
      ) : (
        <div className="mt-4 flex flex-wrap gap-2">
          <MainAction folder={folder} size="large" />
          <Button
            size="large"
            onClick={() => {
              select(folder.path);
              router.push("/");
            }}
          >
            Show on the Desk
          </Button>
        </div>
      )}
    </header>
  );
}

function sentenceOf(folder: FolderView): string {
  if (folder.attention !== null) return folder.attention;
  if (folder.state === "open")
    return "It lies open at its place: anybody at this computer can read and change it until you lock it. Changes are kept when you do.";
  if (folder.state === "locked") return lockedSentence(folder);
  if (folder.state === "away")
    return "Its drive is away, or the directory it lies in is. It comes back by itself with it, at another path too.";
  return "Something is being done with it right now.";
}

function lockedSentence({ guard, visibility, cover }: FolderView): string {
  const where = {
    view: cover === null ? "is at its place" : `stands at its place as ${cover}`,
    hidden: "has no name at its place",
    tucked: "is tucked away, and nothing is left at its place",
  }[visibility];
  const { encrypts, hasBars } = traitsOf(guard);
  if (hasBars)
    return `It ${where}, and the system refuses what you ruled out. Its contents are not encrypted. Opening gives back the permissions there were.`;
  if (!encrypts)
    return `It ${where}. Its contents are not encrypted: whoever finds it can read them. Opening brings it back at the same path.`;
  if (visibility === "hidden")
    return "It is locked, and its name is gone from its place. Opening it brings the same files back at the same path.";
  if (visibility === "tucked")
    return "It is locked and tucked away: nothing is left at its place. Opening it brings the same files back at the same path.";
  return `It is locked in view: it ${where}, and holds one page. Opening it brings the same files back.`;
}

/** Changed at once while it is locked; from the next lock on while it lies open. */
function Shows({ folder }: { readonly folder: FolderView }): ReactNode {
  const [asking, setAsking] = useState<Protection | null>(null);
  const set = useVerb((protection: Protection) => api.setProtection(folder.id, protection, null));
  const rework = useWithSecret(
    folder,
    "Change it",
    (secret, protection: Protection) => api.setProtection(folder.id, protection, secret),
    folder.hasPassword,
  );
  if (folder.state !== "locked" && folder.state !== "open") return null;
  const choose = ({ guard, visibility, cover, icon, bars }: Protection): void => {
    const protection = { guard, visibility, cover, icon, bars };
    const needsRework = folder.state === "locked" && isEncrypting(folder) !== isEncrypting(protection);
    if (needsRework) setAsking(protection);
    else set.run(protection);
  };
  return (
    <section aria-labelledby="shows">
      <h2 id="shows" className="mb-2 text-lg">
        While it is locked
      </h2>
      <ProtectionChoice value={folder} disabled={set.pending || rework.pending} onChoose={choose} />
      {folder.state === "open" && (
        <p className="mt-2 text-sm text-mute">What you choose holds from its next lock on.</p>
      )}
      <Confirm
        open={asking !== null}
        onOpenChange={(open) => !open && setAsking(null)}
        title={asking && isEncrypting(asking) ? `Seal ${folder.name}?` : `Take the encryption off ${folder.name}?`}
        action={asking && isEncrypting(asking) ? "Seal it" : "Change it"}
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
  if (to && isEncrypting(to))
    return (
      <p>
        Every file is read and encrypted, which takes a while for a large folder. Until that is done no other account
        gets in; cut off half way, it is finished when Eremos next starts.
      </p>
    );
  return (
    <>
      <p>
        {count(folder.files, "file")}, {formatBytes(folder.bytes)}, {folder.files === 1 ? "is" : "are"} decrypted to the
        disk, and the folder is {to && traitsOf(to.guard).word} then. No other account gets in meanwhile; cut off half
        way, it is finished when Eremos next starts.
      </p>
      <p>
        After that it is not encrypted: an administrator, or whoever holds the disk, can read it.
        {folder.hasPassword && " It has no password of its own any more."}
      </p>
    </>
  );
}

function Facts({ folder }: { readonly folder: FolderView }): ReactNode {
  const rows: readonly (readonly [string, ReactNode])[] = [
    ["State", conditionWord(folder)],
    ["Guard", guardWords(folder)],
    ...(folder.kind === "folder"
      ? []
      : [["Kind", folder.kind === "file" ? "a single file" : "a drive\u2019s contents"] as const]),
    [
      "Holds",
      !isEncrypting(folder)
        ? "not encrypted, so not counted"
        : folder.files > 0
          ? `${count(folder.files, "file")}, ${formatBytes(folder.bytes)}`
          : "not known yet",
    ],
    ["Protected", <Time key="p" at={folder.protectedAt} />],
    ["Last locked", folder.lockedAt ? <Time key="l" at={folder.lockedAt} /> : "never"],
    ["Last opened", folder.openedAt ? <Time key="o" at={folder.openedAt} /> : "never"],
    ...(folder.waysBack
      ? [["Ways back", <WaysBack key="w" ways={folder.waysBack} hasPassword={folder.hasPassword} />] as const]
      : []),
    [
      "On the disk as",
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
      {(folder.state === "locked" || folder.state === "open") && <ReleaseBox folder={folder} />}
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
        not tried yet
      </Link>
    ) : (
      <>
        tried <Time at={at} />
      </>
    );
  return (
    <>
      {ways.count}: {hasPassword ? "master and own password together" : "master password"}; recovery code,{" "}
      {tried(ways.codeProvenAt)}
      {ways.hasKeyholders && <>; keyholders&rsquo; shares, {tried(ways.sharesProvenAt)}</>}
    </>
  );
}

function ReleaseBox({ folder }: { readonly folder: FolderView }): ReactNode {
  const router = useRouter();
  const [asking, setAsking] = useState(false);
  const release = useWithSecret(
    folder,
    "Release it",
    async (secret) => {
      await api.release(folder.id, secret);
      router.push("/");
    },
    folder.hasPassword && folder.state !== "open",
  );
  return (
    <div className="rounded-xl border border-line p-4 text-sm">
      <h2 className="font-sans text-sm font-semibold">Release</h2>
      <p className="mt-1 text-[13px] text-mute">
        Takes the protection off for good. The folder is an ordinary one again, exactly as it was.
      </p>
      <Button size="small" className="mt-3" onClick={() => setAsking(true)}>
        Release…
      </Button>
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={`Release ${folder.name}?`}
        action="Release it"
        tone="dusk"
        onConfirm={() => release.run()}
      >
        <p>What stays: every file, at {folder.path}, with its names, times and permissions.</p>
        <p>
          What goes: {isEncrypting(folder) ? "the encrypted copy and " : ""}everything Eremos added. After that anybody
          at this computer can read the folder. You can lock it again at any time.
        </p>
      </Confirm>
      {release.dialog}
    </div>
  );
}
