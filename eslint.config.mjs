import next from "@next/eslint-plugin-next";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

export default tseslint.config(
  { ignores: ["**/node_modules/**", "**/dist/**", "**/.next/**", ".demo/**", "web/next-env.d.ts", "test-results/**", "docs/**"] },
  ...tseslint.configs.strict,
  {
    rules: {
      "@typescript-eslint/explicit-module-boundary-types": "error",
      "@typescript-eslint/consistent-type-imports": ["error", { fixStyle: "inline-type-imports" }],
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_", varsIgnorePattern: "^_", ignoreRestSiblings: true }],
      "no-console": "error",
      eqeqeq: "error",
    },
  },
  { files: ["**/*.mjs", "**/*.cjs"], rules: { "@typescript-eslint/explicit-module-boundary-types": "off" } },
  // Every entry's type is its call's.
  { files: ["web/lib/api.ts"], rules: { "@typescript-eslint/explicit-module-boundary-types": "off" } },
  { files: ["e2e/**"], rules: { "no-empty-pattern": "off" } },
  // Pictures come out of visits: no image service is to fetch and keep copies.
  { files: ["web/**/*.{ts,tsx}"], plugins: { "react-hooks": hooks, "@next/next": next }, settings: { next: { rootDir: "web" } }, rules: { ...hooks.configs.recommended.rules, ...next.configs.recommended.rules, "react-hooks/incompatible-library": "off", "@next/next/no-img-element": "off" } },
);
