"use client";
import { X } from "lucide-react";
import { AlertDialog as RadixAlert, Dialog as RadixDialog } from "radix-ui";
import type { ReactNode } from "react";
import { Button, buttonClasses } from "./button";
import { say } from "@eremos/words/page/shell";

const OVERLAY = "fixed inset-0 z-40 bg-night/45 data-[state=open]:animate-in data-[state=open]:fade-in";
const PANEL =
  "fixed top-1/2 left-1/2 z-50 max-h-[92vh] w-[calc(100vw-2rem)] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-2xl border border-line bg-paper p-6 shadow-2xl data-[state=open]:animate-in data-[state=open]:fade-in data-[state=open]:zoom-in-98";

interface DialogProps {
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly title: string;
  readonly description: string;
  readonly children: ReactNode;
}

export function Dialog({ open, onOpenChange, title, description, children }: DialogProps): ReactNode {
  return (
    <RadixDialog.Root open={open} onOpenChange={onOpenChange}>
      <RadixDialog.Portal>
        <RadixDialog.Overlay className={OVERLAY} />
        <RadixDialog.Content className={`${PANEL} max-w-[600px]`}>
          <RadixDialog.Title className="pr-8 text-xl">{title}</RadixDialog.Title>
          <RadixDialog.Description className="mt-1 text-sm text-mute">{description}</RadixDialog.Description>
          <RadixDialog.Close
            className="absolute top-4 right-4 grid size-9 place-items-center rounded-md text-mute hover:bg-sand hover:text-ink"
            aria-label={say("close")}
          >
            <X className="size-5" aria-hidden />
          </RadixDialog.Close>
          {children}
        </RadixDialog.Content>
      </RadixDialog.Portal>
    </RadixDialog.Root>
  );
}

interface ConfirmProps {
  readonly open: boolean;
  readonly onOpenChange: (open: boolean) => void;
  readonly title: string;
  readonly children: ReactNode;
  readonly action: string;
  readonly tone: "clay" | "dusk" | "oxblood";
  readonly onConfirm: () => void;
}

/** Says what will be gone and what stays before it is done. */
export function Confirm({ open, onOpenChange, title, children, action, tone, onConfirm }: ConfirmProps): ReactNode {
  return (
    <RadixAlert.Root open={open} onOpenChange={onOpenChange}>
      <RadixAlert.Portal>
        <RadixAlert.Overlay className={OVERLAY} />
        <RadixAlert.Content className={`${PANEL} max-w-[480px]`}>
          <RadixAlert.Title className="text-xl">{title}</RadixAlert.Title>
          <RadixAlert.Description asChild>
            <div className="mt-2 space-y-2 text-sm text-mute">{children}</div>
          </RadixAlert.Description>
          <div className="mt-6 flex justify-end gap-2">
            <RadixAlert.Cancel className={buttonClasses()}>{say("leave-as-it-is")}</RadixAlert.Cancel>
            <RadixAlert.Action asChild>
              <Button tone={tone} onClick={onConfirm}>
                {action}
              </Button>
            </RadixAlert.Action>
          </div>
        </RadixAlert.Content>
      </RadixAlert.Portal>
    </RadixAlert.Root>
  );
}

/** Its buttons, which stay in view however long it is. */
export function DialogEnd({ children }: { readonly children: ReactNode }): ReactNode {
  return (
    <div className="sticky -bottom-6 -mx-6 -mb-6 flex justify-end gap-2 rounded-b-2xl border-t border-line bg-paper px-6 py-4">
      {children}
    </div>
  );
}
