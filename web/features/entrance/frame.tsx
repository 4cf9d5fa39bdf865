import type { ReactNode } from "react";
import { say } from "@eremos/words/page/entrance";

/** Day on the left, night on the right: what is yours, and what others are to see of it. */
export function EntranceFrame({
  children,
  night,
}: {
  readonly children: ReactNode;
  readonly night: ReactNode;
}): ReactNode {
  return (
    <div className="grid min-h-dvh bg-paper lg:grid-cols-[minmax(0,1fr)_400px]">
      <main className="flex flex-col px-6 py-8 sm:px-14">
        <p className="font-display text-xl font-bold tracking-tight">{say("eremos")}</p>
        <div className="mx-auto my-auto w-full max-w-[460px] py-8">{children}</div>
      </main>
      <aside className="night no-print relative hidden overflow-hidden bg-night px-10 py-12 text-night-ink lg:flex lg:flex-col lg:justify-end">
        <Dusk />
        <div className="relative">{night}</div>
      </aside>
    </div>
  );
}

function Dusk(): ReactNode {
  return (
    <svg
      viewBox="0 0 400 800"
      preserveAspectRatio="xMidYMax slice"
      className="absolute inset-0 size-full"
      aria-hidden="true"
    >
      <circle cx="292" cy="150" r="34" fill="#e9cfa4" opacity="0.9" />
      <path d="M0 520 C 90 470 160 540 240 500 S 360 470 400 500 V800 H0z" fill="#272d52" />
      <path d="M0 600 C 110 560 170 620 270 585 S 370 580 400 570 V800 H0z" fill="#20264a" />
      <path d="M0 700 C 120 660 220 720 400 660 V800 H0z" fill="#191e3a" />
      <g fill="#171b34">
        <path d="M64 560V520a17 17 0 0 1 34 0v40z" />
        <path d="M318 548v-30a13 13 0 0 1 26 0v30z" />
      </g>
      <path d="M74 560v-38a7 7 0 0 1 14 0v38z" fill="#e0955f" opacity="0.85" />
      {[
        [40, 90],
        [120, 60],
        [86, 190],
        [200, 110],
        [350, 60],
        [240, 240],
        [60, 300],
        [330, 290],
        [160, 330],
      ].map(([x, y]) => (
        <circle key={`${x}-${y}`} cx={x} cy={y} r="1.3" fill="#eeebf6" opacity="0.7" />
      ))}
    </svg>
  );
}
