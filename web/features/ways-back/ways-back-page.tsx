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
import { formatBytes } from "@/lib/format";
import { KEYS, useFolders, useVerb } from "@/lib/queries";
import { writeTab } from "@/lib/tab";
import { Button, buttonClasses } from "@/ui/button";
import { say } from "@eremos/words/page/ways-back";

interface Symptom {
  readonly id: SymptomId;
  /** As the person would say it. */
  readonly says: string;
  readonly way: ReactNode;
}

/** Everything about getting back in, from what the person sees. */
export function WaysBackPage(): ReactNode {
  const folders = useFolders() ?? [];
  const [shown, setShown] = useState<string>(() => window.location.hash.slice(1));
  const symptoms: readonly Symptom[] = [
    { id: "master", says: say("i-forgot-my-master-password"), way: <MasterWay /> },
    { id: "known", says: say("somebody-knows-my-password-or"), way: <NewKeysWay /> },
    { id: "own", says: say("i-forgot-this-folders-own"), way: <OwnWay folders={folders} /> },
    { id: "lost", says: say("i-locked-something-and-cant"), way: <LostWay /> },
    { id: "moved", says: say("folder-or-drive-was-moved"), way: <LostWay /> },
    {
      id: "hidden",
      says: say("i-hid-something-by-hand"),
      way: <HiddenWay />,
    },
    { id: "gone", says: say("eremos-is-being-removed-or"), way: <GoneWay folders={folders} /> },
    {
      id: "cut",
      says: say("it-was-interrupted-power-went"),
      way: <CutWay folders={folders} />,
    },
    { id: "damaged", says: say("file-wont-open-or-disk"), way: <DamagedWay folders={folders} /> },
    { id: "permission", says: say("i-no-longer-have-permission"), way: <PermissionsWay folders={folders} /> },
  ];
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[820px] pb-10">
        <h1 className="text-2xl">{say("ways-back")}</h1>
        <p className="mt-1 mb-5 text-mute">{say("start-from-what-you-see")}</p>
        <SeenNow
          folders={folders}
          onSymptom={(symptom) => {
            setShown(symptom);
            window.history.replaceState(null, "", `#${symptom}`);
            document.getElementById(`symptom-${symptom}`)?.scrollIntoView({ block: "start" });
          }}
        />
        <Accordion.Root
          type="single"
          collapsible
          value={shown}
          onValueChange={(symptom) => {
            setShown(symptom);
            // A reload, or the way back to this page, finds the same one open.
            window.history.replaceState(null, "", symptom === "" ? window.location.pathname : `#${symptom}`);
          }}
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
        <p>{say("recovery-code-from-your-sheet")}</p>
        <Button onClick={() => setOpen(true)}>{say("set-new-one")}</Button>
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
  if (own.length === 0) return <p>{say("none-your-folders-has-password")}</p>;
  return (
    <div className="space-y-3">
      <p>{say("open-or-visit-it-and")}</p>
      <FolderLinks
        folders={own}
        note={({ passwordHint }) => (passwordHint === null ? say("no-hint") : say("hint", { hint: passwordHint }))}
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
            {say("show-it")}
          </Link>
        </li>
      ))}
    </ul>
  );
}

function LostWay(): ReactNode {
  return (
    <div className="space-y-3">
      <p>{say("eremos-looks-through-disk-for")}</p>
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
    toast.success(
      mended.length === 0 ? say("there-was-nothing-mend") : say("written-anew", { mended: mended.join(", ") }),
    );
    await client.invalidateQueries({ queryKey: KEYS.scan });
  });
  if (found.problems.length === 0 || found.relation === "another-owner" || found.hasPassword) return null;
  return (
    <Button size="small" disabled={mend.pending} onClick={() => mend.run()}>
      {say("mend-its-records")}
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
      {say("take-all-yours-in", { ready: ready.length })}
    </Button>
  );
}

function HiddenWay(): ReactNode {
  return (
    <div className="space-y-3">
      <p>
        {say("eremos-looks-for-what-is")} <code>{say("hidden")}</code> {say("lists-permissions-flags-volumes-own")}
      </p>
      <HiddenPanel />
    </div>
  );
}

function GoneWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const locked = folders.filter(({ state }) => state === "locked" || state === "away");
  return (
    <div className="space-y-3">
      <p>{say("locked-folder-carries-all-it")}</p>
      {locked.length === 0 ? (
        <p>{say("nothing-yours-is-locked-now")}</p>
      ) : (
        <>
          <p>{say("before-eremos-is-removed-from", { locked: locked.length })}</p>
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
      ids.length === 0 ? say("nothing-was-found-that-was") : say("folders-were-put-right", { ids: ids.length }),
    );
  });
  return (
    <div className="space-y-3">
      <p>{say("nothing-is-lost-by-that")}</p>
      <Interruptions />
      {affected.length > 0 && <FolderLinks folders={affected} note={({ attention }) => attention ?? ""} />}
      <Button disabled={put.pending} onClick={() => put.run()}>
        {say("look-again-now")}
      </Button>
    </div>
  );
}

function DamagedWay({ folders }: { readonly folders: readonly FolderView[] }): ReactNode {
  const sealed = folders.filter((folder) => isEncrypting(folder) && folder.state !== "away");
  return (
    <div className="space-y-3">
      <p>{say("check-folder-every-byte-its")}</p>
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
        {say("without-eremos")}
      </h2>
      <p className="mt-1 text-sm text-mute">{say("two-readers-that-open-your")}</p>
      <ul className="mt-3 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
        {files?.map(({ name, href, bytes, sha256 }) => (
          <li key={name} className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-2.5">
            <div className="min-w-0 flex-1">
              <p className="font-medium">
                {name} <span className="font-normal text-mute">{formatBytes(bytes)}</span>
              </p>
              <p className="font-mono text-[11.5px] break-all text-mute">
                <span className="font-sans">{say("sha-256")}</span> {sha256}
              </p>
            </div>
            <a href={href} download={name} className={buttonClasses({ size: "small" })}>
              {say("save-it")}
            </a>
          </li>
        ))}
      </ul>
    </section>
  );
}
