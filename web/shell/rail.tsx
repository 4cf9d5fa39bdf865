"use client";
import Link from "next/link";
import { usePathname } from "next/navigation";
import type { ReactNode } from "react";
import { VIEWS } from "./views";
import { cn } from "@/lib/cn";
import { say } from "@eremos/words/page/shell";

export function Rail(): ReactNode {
  const pathname = usePathname();
  return (
    <nav aria-label={say("views")} className="flex flex-col gap-1 border-r border-line bg-sheet p-1.5">
      {VIEWS.map(({ href, word, Icon }) => {
        const here = href === "/" ? pathname === "/" || pathname.startsWith("/folders/") : pathname === href;
        return (
          <Link
            key={href}
            href={href}
            aria-current={here ? "page" : undefined}
            className={cn(
              "flex flex-col items-center gap-1 rounded-lg px-1 py-2.5 text-[12.5px] text-mute hover:bg-sand/60 hover:text-ink",
              here && "bg-dusk-soft font-semibold text-dusk hover:bg-dusk-soft hover:text-dusk",
              href === "/settings" && "mt-auto",
            )}
          >
            <Icon className="size-5" strokeWidth={1.75} aria-hidden />
            {word}
          </Link>
        );
      })}
    </nav>
  );
}
