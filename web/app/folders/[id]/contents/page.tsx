import type { ReactNode } from "react";
import { VisitPage } from "@/features/visit/visit-page";

export default async function Page({
  params,
}: {
  readonly params: Promise<{ readonly id: string }>;
}): Promise<ReactNode> {
  return <VisitPage id={(await params).id} />;
}
