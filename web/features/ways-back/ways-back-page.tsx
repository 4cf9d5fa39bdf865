"use client";
import { isEncrypting } from "@eremos/core/guards";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { ChevronDown } from "lucide-react";
import Link from "next/link";
import { Accordion } from "radix-ui";
import { type ReactNode, useState } from "react";
import { toast } from "sonner";
import type { FolderView, FoundFolder, ScanView } from "@eremos/server/contract";
import { CompareCopy } from "@/parts/compare/compare-copy";
import { HiddenPanel } from "./hidden-panel";
import { NewKeysWay } from "./new-keys";
import { KeyholdersSection } from "./keyholders";
import { PermissionsWay } from "./permissions-way";
import { Practice } from "./practice";
import { ScanPanel } from "@/parts/returning/scan-panel";
import { SeenNow, type SymptomId } from "./seen-now";
import { TakeIn } from "./take-in";
import { Interruptions } from "@/parts/folders/interruptions";
import { Behind } from "@/parts/secrets/behind";
import { Forgotten } from "@/parts/returning/forgotten";
import { tell } from "@/parts/returning/return-owner";
import { api } from "@/lib/api";
import { count, formatBytes } from "@/lib/format";
import { KEYS, useFolders, useVerb } from "@/lib/queries";
import { writeTab } from "@/lib/tab";
import { Button, buttonClasses } from "@/ui/button";

interface Symptom {
  readonly id: SymptomId;
  /** As the person would say it. */
  readonly says: string;
  readonly way: ReactNode;
}

/** Everything about getting back in, from what the person sees. */
export function WaysBackPage(): ReactNode {
  const folders = useFolders() ?? [];
  const [shown, setShown] = useState<string>("");
  const symptoms: readonly Symptom[] = [
    { id: "master", says: "I forgot my master password", way: <MasterWay /> },
    { id: "known", says: "Somebody knows my password, or has my recovery code", way: <NewKeysWay /> },
    { id: "own", says: "I forgot this folder’s own password", way: <OwnWay folders={folders} /> },
    { id: "lost", says: "I locked something and can’t find it, or it isn’t in the list", way: <LostWay /> },
    { id: "moved", says: "The folder or the drive was moved, or renamed", way: <LostWay /> },
    {
      id: "hidden",
      says: "I hid something by hand and can’t find it, or it was locked some other way",
      way: <HiddenWay />,
    },
    { id: "gone", says: "Eremos is being removed, or it is for another computer", way: <GoneWay folders={folders} /> },
    {
      id: "cut",
      says: "It was interrupted: the power went, or the computer stopped",
      way: <CutWay folders={folders} />,
    },
    { id: "damaged", says: "A file won’t open, or the disk makes mistakes", way: <DamagedWay folders={folders} /> },
    { id: "permission", says: "I no longer have permission", way: <PermissionsWay folders={folders} /> },
  ];
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[820px] pb-10">
        <h1 className="text-2xl">Ways back</h1>
        <p className="mt-1 mb-5 text-mute">
          Start from what you see. Nothing here changes what is in a locked folder before you say so.
        </p>
        <SeenNow
          folders={folders}
          onSymptom={(symptom) => {
            setShown(symptom);
            document.getElementById(`symptom-${symptom}`)?.scrollIntoView({ block: "start" });
          }}
        />
        <Accordion.Root
          type="single"
          collapsible
          value={shown}
          onValueChange={setShown}
          className="divide-y divide-line rounded-2xl border border-line bg-sheet"
        >
          {symptoms.map(({ id, says, way }) => (
            <Accordion.Item key={id} value={id} id={`symptom-${id}`}>
              <Accordion.Header asChild>
                <h2>
                  <Accordion.Trigger className="group flex w-full items-center gap-3 px-5 py-4 text-left font-sans text-[15px] font-semibold hover:bg-paper">
                    <span className="flex-1">{says}</span>
                    <ChevronDown
                      className="size-5 shrink-0 text-mute transition-transform group-data-[state=open]:rotate-180 motion-reduce:transition-none"
                      aria-hidden
                    />
                  </Accordion.Trigger>
                </h2>
              </Accordion.Header>
              <Accordion.Content className="px-5 pb-5 text-sm">{way}</Accordion.Content>
            </Accordion.Item>
          ))}
        </Accordion.Root>
        <KeyholdersSection />
        <Practice />
        <WithoutEremos />
      </div>
    </main>
  );
}

function MasterWay(): ReactNode {
  const client = useQueryClient();
  const [isOpen, setOpen] = useState(false);
  const behind = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data?.behind ?? [];
  if (!isOpen) {
    return (
      <div className="space-y-3">
        <Behind folders={behind} />
        <p>
          The recovery code from your sheet sets a new one, or enough of your keyholders&rsquo; shares; at the gate they
          do so too, without being signed in. Your folders stay as they are.
        </p>
        <Button onClick={() => setOpen(true)}>Set a new one</Button>
      </div>
    );
  }
  return (
    <div className="max-w-[460px]">
      <Forgotten
        openAt={0}
        onTried={() => undefined}
        onBack={() => setOpen(false)}
        onDone={(signedIn) => {
          writeTab(signedIn.tab);
          setOpen(false);
          void client.invalidateQueries();
        }}
      />
    </div>
  );
}

function OwnWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const own = folders.filter(({ hasPassword }) => hasPassword);
  if (own.length === 0)
    return <p>None of your folders has a password of its own: the master password opens them all.</p>;
  return (
    <div className="space-y-3">
      <p>
        Open or visit it, and choose &ldquo;I have forgotten it: use the recovery code or shares&rdquo; where its
        password is asked. On its page you then set another one, or none.
      </p>
      <FolderLinks
        folders={own}
        note={({ passwordHint }) => (passwordHint === null ? "no hint" : `hint: ${passwordHint}`)}
      />
    </div>
  );
}

function FolderLinks({
  folders,
  note,
}: {
  readonly folders: readonly FolderView[];
  readonly note: (folder: FolderView) => string;
}): ReactNode {
  return (
    <ul className="divide-y divide-line/70 rounded-xl border border-line">
      {folders.map((folder) => (
        <li key={folder.id} className="flex items-center gap-4 px-4 py-2">
          <span className="min-w-0 flex-1 truncate" title={folder.path}>
            <span className="font-medium">{folder.name}</span> <span className="text-mute">{note(folder)}</span>
          </span>
          <Link href={`/folders/${folder.id}`} className={buttonClasses({ size: "small" })}>
            Show it
          </Link>
        </li>
      ))}
    </ul>
  );
}

function LostWay(): ReactNode {
  return (
    <div className="space-y-3">
      <p>
        Eremos looks through the disk for folders it protects, whatever they are called now: hidden, tucked away, moved,
        renamed, on a drive that was plugged in elsewhere. Looking changes nothing.
      </p>
      <ScanPanel
        action={(found) => (
          <>
            <Mend found={found} />
            <CompareCopy found={found} />
            <TakeIn found={found} />
          </>
        )}
        whole={(scan) => <TakeInAll scan={scan} />}
      />
    </div>
  );
}

/** Where a header can still be read, its other records are written anew from their copies. */
function Mend({ found }: { readonly found: FoundFolder }): ReactNode {
  const client = useQueryClient();
  const mend = useVerb(async () => {
    const { mended } = await api.mend(found.path, null);
    toast.success(mended.length === 0 ? "There was nothing to mend." : `Written anew: ${mended.join(", ")}.`);
    await client.invalidateQueries({ queryKey: KEYS.scan });
  });
  if (found.problems.length === 0 || found.relation === "another-owner" || found.hasPassword) return null;
  return (
    <Button size="small" disabled={mend.pending} onClick={() => mend.run()}>
      Mend its records
    </Button>
  );
}

function TakeInAll({ scan }: { readonly scan: ScanView }): ReactNode {
  const ready = scan.found.filter(
    ({ relation, hasPassword }) => (relation === "lost" || relation === "moved") && !hasPassword,
  );
  const client = useQueryClient();
  const take = useVerb(async () => {
    tell(await api.takeInAll());
    await client.invalidateQueries({ queryKey: KEYS.scan });
  });
  if (ready.length < 2) return null;
  return (
    <Button className="mt-3" tone="dusk" disabled={take.pending} onClick={() => take.run()}>
      Take all {ready.length} of yours in
    </Button>
  );
}

function HiddenWay(): ReactNode {
  return (
    <div className="space-y-3">
      <p>
        Eremos looks for what is hidden by common means: names with a dot or of blanks, <code>.hidden</code> lists,
        permissions, flags, a volume&rsquo;s own attributes, and scripts that pretend to lock. Looking changes nothing;
        what is brought back can be hidden again exactly as it was.
      </p>
      <HiddenPanel />
    </div>
  );
}

function GoneWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const locked = folders.filter(({ state }) => state === "locked" || state === "away");
  return (
    <div className="space-y-3">
      <p>
        A locked folder carries all it needs but your password or code. On another computer, choose &ldquo;I have
        folders that Eremos locked before&rdquo; when Eremos starts there for the first time; it finds them on the disk.
        Without Eremos, the two readers below open them.
      </p>
      {locked.length === 0 ? (
        <p>Nothing of yours is locked now, so nothing would be left behind.</p>
      ) : (
        <>
          <p>
            Before Eremos is removed from this computer: {count(locked.length, "folder is", "folders are")} still
            locked. Release those that are to be ordinary folders again.
          </p>
          <FolderLinks folders={locked} note={({ path }) => path} />
        </>
      )}
    </div>
  );
}

function CutWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const affected = folders.filter(({ state }) => state === "interrupted" || state === "partly" || state === "damaged");
  const put = useVerb(async () => {
    const { folders: ids } = await api.putRight();
    toast.success(
      ids.length === 0
        ? "Nothing was found that was cut off."
        : `${count(ids.length, "folder was", "folders were")} put right.`,
    );
  });
  return (
    <div className="space-y-3">
      <p>
        Nothing is lost by that: at every moment one whole copy is there, the readable or the encrypted one, and the
        disk itself tells which. Eremos puts such a folder right when it starts and when you sign in, and says what it
        found; whether the work is finished or left undone is for you to say.
      </p>
      <Interruptions />
      {affected.length > 0 && <FolderLinks folders={affected} note={({ attention }) => attention ?? ""} />}
      <Button disabled={put.pending} onClick={() => put.run()}>
        Look again now
      </Button>
    </div>
  );
}

function DamagedWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const sealed = folders.filter((folder) => isEncrypting(folder) && folder.state !== "away");
  return (
    <div className="space-y-3">
      <p>
        Check the folder: every byte of its encrypted copy is read and verified, and damaged files are named. Headers
        and records are there twice, and a third time in Eremos&rsquo; own data: &ldquo;Mend its records&rdquo; writes
        damaged ones anew. What is whole always comes out: one of the readers below brings everything else out into
        another directory, and names what is damaged with its bytes.
      </p>
      {sealed.length > 0 && <FolderLinks folders={sealed} note={({ path }) => path} />}
    </div>
  );
}

function WithoutEremos(): ReactNode {
  const files = useQuery({
    queryKey: KEYS.rescueFiles,
    queryFn: api.rescueFiles,
    staleTime: Number.POSITIVE_INFINITY,
  }).data;
  return (
    <section aria-labelledby="without" className="mt-8">
      <h2 id="without" className="text-lg">
        Without Eremos
      </h2>
      <p className="mt-1 text-sm text-mute">
        Two readers that open your locked folders on any computer with your password or code, and change nothing in
        them. Keep them on a stick, with your recovery sheet: one is a page for any current browser, the other a file
        for Node.js. They work offline.
      </p>
      <ul className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
        {files?.map(({ name, href, bytes, sha256 }) => (
          <li key={name} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2.5">
            <div className="min-w-0 flex-1">
              <p className="font-medium">
                {name} <span className="font-normal text-mute">{formatBytes(bytes)}</span>
              </p>
              <p className="font-mono text-[11.5px] break-all text-mute">
                <span className="font-sans">SHA-256</span> {sha256}
              </p>
            </div>
            <a href={href} download={name} className={buttonClasses({ size: "small" })}>
              Save it…
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}
