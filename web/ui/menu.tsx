"use client";
import { DropdownMenu, ContextMenu as RadixContextMenu } from "radix-ui";
import { Check } from "lucide-react";
import { Fragment, type ReactNode } from "react";

export interface MenuChoice {
  readonly label: string;
  /** What it means, in small print. */
  readonly note?: string;
  readonly onChoose: () => void;
  /** A line stands above it. */
  readonly isApart?: boolean;
}

interface MenuProps {
  readonly choices: readonly MenuChoice[];
  readonly children: ReactNode;
}

const PANEL = "z-50 min-w-56 max-w-80 rounded-xl border border-line bg-sheet p-1 shadow-xl";
const ITEM = "cursor-pointer rounded-lg px-3 py-2 text-sm outline-none data-[highlighted]:bg-dusk-soft";
const LINE = "my-1 h-px bg-line";

/** A button's further choices. `children` is the trigger, a button. */
export function Menu({ choices, children }: MenuProps): ReactNode {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="start" sideOffset={6} className={PANEL}>
          {choices.map((choice) => (
            <Fragment key={choice.label}>
              {choice.isApart && <DropdownMenu.Separator className={LINE} />}
              <DropdownMenu.Item onSelect={choice.onChoose} className={ITEM}>
                <Words {...choice} />
              </DropdownMenu.Item>
            </Fragment>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

/** What a right click, the menu key or a long touch on its child offers. `children` is one element. */
export function ContextMenu({ choices, children }: MenuProps): ReactNode {
  if (choices.length === 0) return children;
  return (
    <RadixContextMenu.Root>
      <RadixContextMenu.Trigger asChild>{children}</RadixContextMenu.Trigger>
      <RadixContextMenu.Portal>
        <RadixContextMenu.Content className={PANEL}>
          {choices.map((choice) => (
            <Fragment key={choice.label}>
              {choice.isApart && <RadixContextMenu.Separator className={LINE} />}
              <RadixContextMenu.Item onSelect={choice.onChoose} className={ITEM}>
                <Words {...choice} />
              </RadixContextMenu.Item>
            </Fragment>
          ))}
        </RadixContextMenu.Content>
      </RadixContextMenu.Portal>
    </RadixContextMenu.Root>
  );
}

function Words({ label, note }: MenuChoice): ReactNode {
  return (
    <>
      <span className="block font-medium">{label}</span>
      {note && <span className="block text-[13px] text-mute">{note}</span>}
    </>
  );
}

interface TickGroup {
  readonly title: string;
  readonly ticks: readonly { readonly value: string; readonly label: string; readonly isOn: boolean }[];
  /** One of them, or any number. */
  readonly isOne?: boolean;
  readonly onTick: (value: string) => void;
}

/** Things to tick, in groups; it stays open meanwhile. `children` is the trigger, a button. */
export function TickMenu({
  groups,
  children,
}: {
  readonly groups: readonly TickGroup[];
  readonly children: ReactNode;
}): ReactNode {
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align="end" sideOffset={6} className={`${PANEL} max-h-[70vh] overflow-y-auto`}>
          {groups.map((group, i) => (
            <DropdownMenu.Group key={group.title}>
              {i > 0 && <DropdownMenu.Separator className={LINE} />}
              <DropdownMenu.Label className="px-3 pt-1.5 pb-0.5 text-[12.5px] text-mute">
                {group.title}
              </DropdownMenu.Label>
              {group.ticks.map(({ value, label, isOn }) => (
                <DropdownMenu.CheckboxItem
                  key={value}
                  role={group.isOne ? "menuitemradio" : "menuitemcheckbox"}
                  checked={isOn}
                  onSelect={(event) => event.preventDefault()}
                  onCheckedChange={() => group.onTick(value)}
                  className={`${ITEM} flex items-center gap-2 py-1.5`}
                >
                  <span className="grid size-4 place-items-center">
                    <DropdownMenu.ItemIndicator>
                      <Check className="size-4 text-dusk" aria-hidden />
                    </DropdownMenu.ItemIndicator>
                  </span>
                  {label}
                </DropdownMenu.CheckboxItem>
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}
