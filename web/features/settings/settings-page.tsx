"use client";
import { useQuery } from "@tanstack/react-query";
import { useTheme } from "next-themes";
import { ToggleGroup } from "radix-ui";
import type { ReactNode } from "react";
import { api } from "@/lib/api";
import { KEYS } from "@/lib/queries";

const THEMES = [["light", "Light"], ["dark", "Dark"], ["system", "As the desktop"]] as const;

export function SettingsPage(): ReactNode {
  const settings = useQuery({ queryKey: KEYS.settings, queryFn: api.settings }).data;
  const { theme, setTheme } = useTheme();
  return (
    <main className="h-full overflow-y-auto px-6 py-6 lg:px-10">
      <div className="max-w-[760px] space-y-8 pb-10">
        <h1 className="text-2xl">Settings</h1>
        <section aria-labelledby="look">
          <h2 id="look" className="text-lg">Look</h2>
          <ToggleGroup.Root type="single" value={theme ?? "system"} onValueChange={(value) => value && setTheme(value)} aria-label="Theme" className="mt-2 inline-flex rounded-lg border border-line bg-sheet p-1">
            {THEMES.map(([value, word]) => <ToggleGroup.Item key={value} value={value} className="rounded-md px-3 py-1.5 text-sm data-[state=on]:bg-dusk-soft data-[state=on]:font-semibold data-[state=on]:text-dusk">{word}</ToggleGroup.Item>)}
          </ToggleGroup.Root>
        </section>
        {settings && (
          <>
            <section aria-labelledby="data">
              <h2 id="data" className="text-lg">Where things are</h2>
              <dl className="mt-2 rounded-xl border border-line bg-sheet px-4 text-sm">
                <Row term="Eremos' own data">{settings.dataDirectory}</Row>
                <Row term={settings.places.length === 1 ? "The place it may protect in" : "The places it may protect in"}>{settings.places.join(", ")}</Row>
              </dl>
              <p className="mt-1.5 text-[13px] text-mute">Set when Eremos is started, by EREMOS_DATA and EREMOS_PLACES.</p>
            </section>
            <section aria-labelledby="guessing">
              <h2 id="guessing" className="text-lg">What guessing costs</h2>
              <p className="mt-1 text-sm text-mute">Each guess at your master password takes {(settings.hashing.memoryKiB / 1024).toFixed(0)} MiB of memory and {settings.hashing.passes} passes over it (Argon2id, {settings.hashing.lanes} lanes), whoever guesses and on whatever machine.</p>
            </section>
            <section aria-labelledby="off-limits">
              <h2 id="off-limits" className="text-lg">Off-limits</h2>
              <p className="mt-1 text-sm text-mute">Places that can&rsquo;t be locked, because the system or Eremos needs them.</p>
              <ul className="mt-2 divide-y divide-line rounded-xl border border-line bg-sheet text-sm">
                {settings.offLimits.map((limit) => <li key={limit.path} className="grid gap-x-4 px-4 py-2 sm:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]"><span className="truncate font-medium" title={limit.path}>{limit.path}</span><span className="text-mute">{limit.reason}</span></li>)}
              </ul>
            </section>
          </>
        )}
      </div>
    </main>
  );
}

function Row({ term, children }: { readonly term: string; readonly children: ReactNode }): ReactNode {
  return <div className="grid gap-x-4 border-b border-line/70 py-2.5 last:border-0 sm:grid-cols-[220px_minmax(0,1fr)]"><dt className="text-mute">{term}</dt><dd className="font-medium break-all">{children}</dd></div>;
}
