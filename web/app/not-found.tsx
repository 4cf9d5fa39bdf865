import Link from "next/link";
import type { ReactNode } from "react";

export default function NotFound(): ReactNode {
  return (
    <main className="mx-auto max-w-md p-10">
      <h1 className="text-2xl">There is nothing at this address</h1>
      <p className="mt-2 text-mute">Your folders are not touched by this.</p>
      <Link href="/" className="mt-4 inline-block font-medium text-dusk underline underline-offset-4">
        Back to the Desk
      </Link>
    </main>
  );
}
