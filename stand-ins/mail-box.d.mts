export function startMailBox(
  directory: string,
  port?: number,
): Promise<{ readonly port: number; close(): Promise<void> }>;
