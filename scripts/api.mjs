/**
 * Writes docs/API.md from the table of calls (server/src/calls). `--check`: only says whether it is as the table is.
 */
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { build } from "esbuild";
import { format } from "prettier";
import { root } from "./steps.mjs";

const PAPER = join(root, "docs", "API.md");
const SHAPES = ["folders", "owner", "rules", "secrets", "visits", "ways-back"].map(
  (file) => `server/src/calls/shapes/${file}.ts`,
);

async function load(entry) {
  const { outputFiles } = await build({
    absWorkingDir: root,
    stdin: { contents: entry, resolveDir: root, loader: "ts" },
    bundle: true,
    write: false,
    platform: "node",
    format: "esm",
    logLevel: "error",
  });
  return import(`data:text/javascript;base64,${Buffer.from(outputFiles[0].contents).toString("base64")}`);
}

const { groups, commands, shapes } = await load(
  [
    'export { COMMAND_RESULTS as commands } from "./server/src/calls/commands.ts";',
    'export { CALL_GROUPS as groups } from "./server/src/calls/index.ts";',
    ...SHAPES.map((file, i) => `import * as shapes${i} from "./${file}";`),
    `export const shapes = { ${SHAPES.map((_file, i) => `...shapes${i}`).join(", ")} };`,
  ].join("\n"),
);

const nameOf = (exported) => exported[0].toUpperCase() + exported.slice(1).replace(/Schema$/, "");
const plain = (schema) => (schema.def.type === "readonly" ? plain(schema.def.innerType) : schema);
/** What is told once, under its name: everything that is a shape of its own. */
const names = new Map(
  Object.entries(shapes).flatMap(([exported, schema]) =>
    exported.endsWith("Schema") ? [[schema, nameOf(exported)]] : [],
  ),
);

/** As one would write it down, with the names of what is told elsewhere. */
function told(schema, isTop = false) {
  const name = names.get(schema);
  if (name && !isTop) return name;
  const { def } = schema;
  switch (def.type) {
    case "object": {
      const fields = Object.entries(def.shape).map(
        ([key, field]) => `${key}${mayLack(field) ? "?" : ""}: ${told(field)}`,
      );
      return fields.length === 0 ? "nothing" : `{ ${fields.join("; ")} }`;
    }
    case "array": {
      const element = told(def.element);
      return /[ |]/.test(element) ? `(${element})[]` : `${element}[]`;
    }
    case "union":
      return def.options.map((option) => told(option)).join(" | ");
    case "enum":
      return Object.values(def.entries)
        .map((value) => JSON.stringify(value))
        .join(" | ");
    case "literal":
      return def.values.map((value) => JSON.stringify(value)).join(" | ");
    case "record":
      return `{ [${told(def.keyType)}]: ${told(def.valueType)} }`;
    case "nullable":
      return `${told(def.innerType)} | null`;
    case "readonly":
    case "optional":
    case "default":
      return told(def.innerType, isTop);
    case "pipe":
      return told(def.out);
    case "custom":
      return "password";
    case "number":
      return schema.format === "safeint" ? "integer" : "number";
    case "string":
    case "boolean":
    case "unknown":
      return def.type;
  }
  throw new Error(`scripts/api.mjs can't tell what ${def.type} is`);
}

const mayLack = ({ def }) => def.type === "optional" || def.type === "default";

const calls = Object.entries(groups).map(
  ([group, table]) => `## ${group}

${Object.entries(table)
  .map(
    ([name, { who, about, input, output }]) =>
      `- **${name}** (${who}): ${about}\n  Asks \`${told(input)}\`, answers \`${told(output)}\`.`,
  )
  .join("\n")}
`,
);
const used = [...names].filter(([schema]) => plain(schema).def.type === "object");
const shared = [...names].filter(([schema]) => plain(schema).def.type !== "object");

const paper = await format(
  `# The calls

Written from \`server/src/calls\` by \`npm run api\`, and checked against it; the server's answers and the page's client
follow from the same table.

Each is a POST to \`/api/\` and its name. What it asks is JSON; a password stands in it as \`{ "$secret": n }\`, and its bytes
follow after a NUL, so that they never become text that can't be overwritten. *anybody* is whoever has this account's
browser at the gate; *owner*, who is signed in, with cookie and tab. A field with a question mark may be left out. What is
refused is answered with \`{ error: ErrorView }\`. Times are milliseconds since 1970, sizes are bytes.

${calls.join("\n")}
## The command line

What \`eremos COMMAND --json\` writes to standard output; what is refused, as \`{ error: { code, message } }\`.

${Object.entries(commands)
  .map(([name, result]) => `- **${name}**: \`${told(result)}\``)
  .join("\n")}

## Shapes

${used.map(([schema, name]) => `- **${name}**: \`${told(schema, true)}\``).join("\n")}

## Words

${shared.map(([schema, name]) => `- **${name}**: \`${told(schema, true)}\``).join("\n")}
`,
  { parser: "markdown", printWidth: 120 },
);

if (process.argv.includes("--check")) {
  if (readFileSync(PAPER, "utf8") !== paper) {
    process.stderr.write("docs/API.md does not tell what the table of calls is: npm run api\n");
    process.exitCode = 1;
  }
} else writeFileSync(PAPER, paper);
