import { type VariantProps, cva } from "class-variance-authority";
import type { ButtonHTMLAttributes, ReactNode } from "react";
import { cn } from "@/lib/cn";

export const buttonClasses = cva(
  "inline-flex items-center justify-center gap-2 rounded-lg font-semibold whitespace-nowrap transition-colors disabled:opacity-55 disabled:cursor-not-allowed",
  {
    variants: {
      tone: {
        plain: "border border-line bg-sheet text-ink hover:border-line-strong hover:bg-paper",
        dusk: "bg-dusk text-on-dusk hover:bg-dusk/88",
        clay: "bg-clay text-on-clay hover:bg-clay/88",
        oxblood: "border border-oxblood/40 bg-sheet text-oxblood hover:bg-oxblood-soft",
        quiet: "text-dusk hover:bg-dusk-soft",
      },
      size: { normal: "h-9 px-3.5 text-sm", small: "h-8 px-3 text-[13px]", large: "h-11 px-5 text-[15px]" },
    },
    defaultVariants: { tone: "plain", size: "normal" },
  },
);

type ButtonProps = ButtonHTMLAttributes<HTMLButtonElement> & VariantProps<typeof buttonClasses>;

export function Button({ tone, size, className, type = "button", ...rest }: ButtonProps): ReactNode {
  return <button type={type} className={cn(buttonClasses({ tone, size }), className)} {...rest} />;
}
