import next from "@next/eslint-plugin-next";
import hooks from "eslint-plugin-react-hooks";
import tseslint from "typescript-eslint";

/** A later block takes the place of what an earlier one says of the same rule: both name these. */
const ONE_DOOR = [
  {
    selector:
      "ImportDeclaration[source.value=/^(node:)?fs/]:not([source.value='node:fs']), ImportDeclaration[source.value='node:fs'] > :not(ImportNamespaceSpecifier, Literal)",
    message: "Take node:fs whole, as fs, so that what is done with it is seen.",
  },
  {
    selector:
      "CallExpression[callee.object.name='fs'][callee.property.name=/^(readFile|writeFile|open|createReadStream|createWriteStream|appendFile|copyFile|cp|chmod|lchmod|chown|lchown|rename|unlink|rm|rmdir|symlink|link|truncate|utimes|lutimes|mkdir)(Sync)?$/]",
    message:
      "Use the platform's door (readPlanted, or the Disk port): this could be somebody else's file, link or pipe.",
  },
];

export default tseslint.config(
  {
    ignores: [
      "**/node_modules/**",
      "**/dist/**",
      "**/.next/**",
      ".demo/**",
      "web/next-env.d.ts",
      "test-results/**",
      "docs/**",
    ],
  },
  ...tseslint.configs.strict,
  {
    rules: {
      "@typescript-eslint/explicit-module-boundary-types": "error",
      "@typescript-eslint/consistent-type-imports": ["error", { fixStyle: "inline-type-imports" }],
      "@typescript-eslint/no-unused-vars": [
        "error",
        { argsIgnorePattern: "^_", varsIgnorePattern: "^_", ignoreRestSiblings: true },
      ],
      "no-console": "error",
      eqeqeq: "error",
      "sort-imports": ["error", { ignoreDeclarationSort: true }],
    },
  },
  { files: ["**/*.mjs", "**/*.cjs"], rules: { "@typescript-eslint/explicit-module-boundary-types": "off" } },
  { files: ["**/*.cjs"], rules: { "@typescript-eslint/no-require-imports": "off" } },
  // Every entry's type is its call's.
  { files: ["web/lib/api.ts"], rules: { "@typescript-eslint/explicit-module-boundary-types": "off" } },
  // One exit to the terminal: what strangers name is made plain text there.
  {
    files: ["cli/src/**"],
    // The start says nothing but the usage.
    ignores: ["cli/src/terminal.ts", "cli/src/progress.ts", "cli/src/eremos.ts"],
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector: "CallExpression[callee.property.name='write'][callee.object.property.name=/^std(out|err)$/]",
          message: "Use terminal.ts: names of strangers reach no terminal unescaped.",
        },
      ],
    },
  },
  // One door to files that somebody else could have placed: the platform. The rest reads and writes the account's own
  // data, the program's own files, or the system's tables.
  {
    files: ["core/src/**", "server/src/**"],
    ignores: [
      "core/src/platform/**",
      "core/src/rescue/held-directory.ts",
      "core/src/rescue/dresser.ts",
      "core/src/rescue/directory-source.ts",
      "core/src/rescue/bring-out/to-directory.ts",
      "server/src/data-directory.ts",
      "server/src/fault-log.ts",
      "server/src/database/open.ts",
      "server/src/database/upgrade.ts",
      "server/src/desktop/installation.ts",
      "server/src/http/pages.ts",
      "server/src/session/stay.ts",
      "server/src/desktop/integrate.ts",
      "server/src/look/mounts.ts",
      "server/src/rescue-files.ts",
    ],
    rules: {
      "no-restricted-syntax": ["error", ...ONE_DOOR],
    },
  },
  // Nothing that may take long, or hang on a disk, is done where a whole session waits.
  {
    files: ["server/src/operations/**"],
    rules: {
      "no-restricted-syntax": [
        "error",
        ...ONE_DOOR,
        {
          selector: "MemberExpression[property.name='disk'], Property[key.name='disk'], Identifier[name='Disk']",
          message: "Look by eremos.glance, and ask the engine (eremos.ask, eremos.run) for everything else.",
        },
      ],
    },
  },
  // They are run without what is bundled (scripts/bundles-for-tests.mjs): what they found of it might be old.
  {
    files: ["core/test/**", "words/test/**"],
    rules: {
      "no-restricted-imports": [
        "error",
        {
          patterns: [
            {
              regex: "^@eremos/(core|server|cli)$|/dist/",
              message: "Import the source: a bundle may be of older ones.",
            },
          ],
        },
      ],
      "no-restricted-syntax": [
        "error",
        {
          selector: "Literal[value=/(^|\\u002f)dist\\u002f|^@eremos\\u002f(core\\u002fworker|server|cli)/]",
          message: "Bundle the source (bundleProcess): what lies there may be of older ones.",
        },
      ],
    },
  },
  { files: ["e2e/**"], rules: { "no-empty-pattern": "off" } },
  // A page is looked at when nothing on it is half faded.
  {
    files: ["e2e/**"],
    ignores: ["e2e/accessible.ts"],
    rules: {
      "no-restricted-syntax": [
        "error",
        {
          selector: "Property[key.name='timeout']",
          message: "One limit against hanging for all, in playwright.config.ts: a busy machine takes its time.",
        },
      ],
      "no-restricted-imports": [
        "error",
        { name: "@axe-core/playwright", message: "Ask violations() of ./accessible: it waits for what still moves." },
      ],
    },
  },
  // Pictures come out of visits: no image service is to fetch and keep copies.
  {
    files: ["web/**/*.{ts,tsx}"],
    plugins: { "react-hooks": hooks, "@next/next": next },
    settings: { next: { rootDir: "web" } },
    rules: {
      ...hooks.configs.recommended.rules,
      ...next.configs.recommended.rules,
      "react-hooks/incompatible-library": "off",
      "@next/next/no-img-element": "off",
      // A component that can be read at once. There are no exceptions; one would stand here, with its reason.
      "max-lines-per-function": ["error", { max: 80, skipComments: true }],
    },
  },
);
