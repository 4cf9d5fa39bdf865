import type { Metadata } from "next";
import { headers } from "next/headers";
import type { ReactNode } from "react";
import { Providers } from "@/shell/providers";
import "./globals.css";
import { say } from "@eremos/words/page/shell";

export const metadata: Metadata = { title: say("eremos"), robots: { index: false } };

export default async function RootLayout({ children }: { readonly children: ReactNode }): Promise<ReactNode> {
  return (
    <html lang="en" data-theme={(await headers()).get("x-eremos-theme") ?? "system"}>
      <body>
        <Providers>{children}</Providers>
      </body>
    </html>
  );
}
