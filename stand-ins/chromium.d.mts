export const CHROMIUM: { readonly executablePath: string; args: string[] };
