import { ChartNoAxesColumn, Footprints, LampDesk, LifeBuoy, PackageOpen, SlidersHorizontal } from "lucide-react";
import { say } from "@eremos/words/page/shell";

/** The rooms of the house, in the order of the rail. */
export const VIEWS = [
  { href: "/", word: say("desk"), Icon: LampDesk },
  { href: "/ways-back", word: say("ways-back"), Icon: LifeBuoy },
  { href: "/traces", word: say("traces"), Icon: Footprints },
  { href: "/hand-over", word: say("hand-over"), Icon: PackageOpen },
  { href: "/activity", word: say("activity"), Icon: ChartNoAxesColumn },
  { href: "/settings", word: say("settings"), Icon: SlidersHorizontal },
] as const;
