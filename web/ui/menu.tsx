"use client";
import { DropdownMenu } from "radix-ui";
import type { ReactNode } from "react";

export interface MenuChoice {
  readonly label: string;
  /** What it means, in small print. */
  readonly note?: string;
  readonly onChoose: () => void;
}

/** A button's further choices. `children` is the trigger, a button. */
export function Menu({
  choices,
  children,
}: {
  readonly choices: readonly MenuChoice[];
  readonly children: ReactNode;
}): ReactNode {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align="start"
          sideOffset={6}
          className="z-50 min-w-56 max-w-80 rounded-xl border border-line bg-sheet p-1 shadow-xl"
        >
          {choices.map((choice) => (
            <DropdownMenu.Item
              key={choice.label}
              onSelect={choice.onChoose}
              className="cursor-pointer rounded-lg px-3 py-2 text-sm outline-none data-[highlighted]:bg-dusk-soft"
            >
              <span className="block font-medium">{choice.label}</span>
              {choice.note && <span className="block text-[13px] text-mute">{choice.note}</span>}
            </DropdownMenu.Item>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
