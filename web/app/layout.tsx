import type { Metadata } from "next";
import { headers } from "next/headers";
import type { ReactNode } from "react";
import { Providers } from "@/features/shell/providers";
import "./globals.css";

export const metadata: Metadata = { title: "Eremos", robots: { index: false } };

export default async function RootLayout({ children }: { readonly children: ReactNode }): Promise<ReactNode> {
  const nonce = (await headers()).get("x-nonce") ?? "";
  return (
    <html lang="en" suppressHydrationWarning>
      <body>
        <Providers nonce={nonce}>{children}</Providers>
      </body>
    </html>
  );
}
