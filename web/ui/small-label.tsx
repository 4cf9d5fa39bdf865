import type { ReactNode } from "react";

/** Above what is small itself. */
export function SmallLabel({ of, children }: { readonly of: string; readonly children: ReactNode }): ReactNode {
  return (
    <label htmlFor={of} className="mb-1 block text-[12.5px] text-mute">
      {children}
    </label>
  );
}
