import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));

/** @type {import("next").NextConfig} */
export default {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  // Between two programs of one computer there is nothing to save by it.
  compress: false,
  outputFileTracingRoot: root,
  turbopack: { root },
  // Types are checked by `npm test`, without the files that the development server leaves behind.
  typescript: { ignoreBuildErrors: true },
};
