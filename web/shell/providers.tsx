"use client";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { type ReactNode, useState } from "react";
import { Toaster } from "sonner";
import { Shell } from "./shell";
import { Entrance } from "@/features/entrance/entrance";

export function Providers({ children }: { readonly children: ReactNode }): ReactNode {
  const [client] = useState(
    () => new QueryClient({ defaultOptions: { queries: { retry: 1, staleTime: 5_000, refetchOnWindowFocus: true } } }),
  );
  return (
    <QueryClientProvider client={client}>
      <Tooltip.Provider delayDuration={300}>
        <Entrance house={(entered) => <Shell {...entered}>{children}</Shell>} />
        <Toaster
          position="bottom-right"
          toastOptions={{
            classNames: {
              toast: "!bg-sheet !text-ink !border-line !text-sm !rounded-xl !items-start",
              error: "!border-oxblood/50",
            },
          }}
          closeButton
        />
      </Tooltip.Provider>
    </QueryClientProvider>
  );
}
