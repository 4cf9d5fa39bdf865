import type { ReactNode } from "react";
import { FolderPage } from "@/features/folder/folder-page";

export default async function Page({
  params,
}: {
  readonly params: Promise<{ readonly id: string }>;
}): Promise<ReactNode> {
  return <FolderPage id={(await params).id} />;
}
