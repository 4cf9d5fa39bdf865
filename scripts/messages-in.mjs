/** What the catalogue in `words/` holds, and what a source says of it: read from the sources themselves. */
import { readFileSync } from "node:fs";
import { join, relative } from "node:path";
import { parse } from "@formatjs/icu-messageformat-parser";
import ts from "typescript";
import { root } from "./steps.mjs";

const WORDS = "@eremos/words/";

export const sourceOf = (file) =>
  ts.createSourceFile(file, readFileSync(join(root, file), "utf8"), ts.ScriptTarget.Latest, true);

export function at(node) {
  const source = node.getSourceFile();
  const { line } = source.getLineAndCharacterOfPosition(node.getStart());
  return `${relative(root, join(root, source.fileName))}:${line + 1}`;
}

export function each(node, look) {
  look(node);
  ts.forEachChild(node, (child) => each(child, look));
}

/**
 * @typedef {object} Message
 * @property {string} text
 * @property {import("@formatjs/icu-messageformat-parser").MessageFormatElement[] | null} read null: it can't be read
 * @property {string | null} problem why it can't
 * @property {ts.Node} node
 * @typedef {{ area: string, messages: Map<string, Message> }} Area
 */

/** What stands there as a text: a literal, or a name. @param {ts.Node | undefined} node */
export function textIn(node) {
  return node && (ts.isStringLiteralLike(node) || ts.isIdentifier(node)) ? node.text : undefined;
}

/**
 * Of an area's file, or null for another one.
 *
 * @returns {Area | null}
 */
export function areaOf(file) {
  const found = /** @type {Area[]} */ ([]);
  each(sourceOf(file), (node) => {
    if (!ts.isCallExpression(node) || node.expression.getText() !== "speaker") return;
    const [area, said] = node.arguments;
    /** @type {Area["messages"]} */
    const messages = new Map();
    if (!ts.isObjectLiteralExpression(said)) throw new Error(`${at(node)}: its messages are not written down there`);
    for (const property of said.properties) {
      const text = ts.isPropertyAssignment(property) ? textIn(property.initializer) : undefined;
      const id = textIn(property.name);
      if (text === undefined || id === undefined) throw new Error(`${at(property)}: no message with its id`);
      /** @type {Message["read"]} */
      let read = null;
      /** @type {string | null} */
      let problem = null;
      try {
        read = parse(text, { ignoreTag: true });
      } catch (error) {
        problem = error.message;
      }
      messages.set(id, { text, read, problem, node: property });
    }
    found.push({ area: textIn(area) ?? "", messages });
  });
  return found[0] ?? null;
}

/** Each call of `say` or `said` in a source: the area, the ids it may name, and what it fills them with. */
export function saidIn(source, areas) {
  const speakers = new Map();
  for (const statement of source.statements) {
    if (!ts.isImportDeclaration(statement)) continue;
    const from = textIn(statement.moduleSpecifier) ?? "";
    const named = statement.importClause?.namedBindings;
    if (!from.startsWith(WORDS) || !named || !ts.isNamedImports(named)) continue;
    for (const { name } of named.elements) speakers.set(name.text, from.slice(WORDS.length));
  }
  const calls = [];
  if (speakers.size > 0)
    each(source, (node) => {
      if (!ts.isCallExpression(node) || !ts.isIdentifier(node.expression)) return;
      const area = speakers.get(node.expression.text);
      if (area === undefined) return;
      const [which, values] = node.arguments;
      const filled =
        !values || ts.isObjectLiteralExpression(values)
          ? new Set((values?.properties ?? []).map(({ name }) => textIn(name) ?? "(something spread)"))
          : null;
      calls.push({ node, area, ids: idsOf(which, areas.get(area)), isOne: ts.isStringLiteral(which), filled });
    });
  return calls;
}

/** A literal, those of a choice, or all that begin and end as a template does; of a variable, all. */
function idsOf(node, messages) {
  const all = [...(messages?.keys() ?? [])];
  if (ts.isStringLiteral(node)) return [node.text];
  if (ts.isConditionalExpression(node)) return [...idsOf(node.whenTrue, messages), ...idsOf(node.whenFalse, messages)];
  if (!ts.isTemplateExpression(node)) return all;
  const begins = node.head.text;
  const ends = node.templateSpans.at(-1)?.literal.text ?? "";
  return all.filter((id) => id.startsWith(begins) && id.endsWith(ends));
}
