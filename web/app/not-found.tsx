import Link from "next/link";
import type { ReactNode } from "react";
import { say } from "@eremos/words/page/shell";

export default function NotFound(): ReactNode {
  return (
    <main className="mx-auto max-w-md p-10">
      <h1 className="text-2xl">{say("there-is-nothing-at-this")}</h1>
      <p className="mt-2 text-mute">{say("your-folders-are-not-touched")}</p>
      <Link href="/" className="mt-4 inline-block font-medium text-dusk underline underline-offset-4">
        {say("back-desk")}
      </Link>
    </main>
  );
}
