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

/** `{area, messages}` of an area's file: message → text, read message, node; null for another file. */
export function areaOf(file) {
  let found = null;
  each(sourceOf(file), (node) => {
    if (!ts.isCallExpression(node) || node.expression.getText() !== "speaker") return;
    const messages = new Map();
    for (const property of node.arguments[1].properties) {
      const text = property.initializer.text;
      let read = null;
      let problem = null;
      try {
        read = parse(text, { ignoreTag: true });
      } catch (error) {
        problem = error.message;
      }
      messages.set(property.name.text, { text, read, problem, node: property });
    }
    found = { area: node.arguments[0].text, messages };
  });
  return found;
}

/** Each call of `say` or `said` in a source: the area, the ids it may name, and what it fills them with. */
export function saidIn(source, areas) {
  const speakers = new Map();
  for (const statement of source.statements) {
    if (!ts.isImportDeclaration(statement) || !statement.moduleSpecifier.text.startsWith(WORDS)) continue;
    const area = statement.moduleSpecifier.text.slice(WORDS.length);
    for (const element of statement.importClause?.namedBindings?.elements ?? []) speakers.set(element.name.text, area);
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
          ? new Set((values?.properties ?? []).map(({ name }) => name?.text ?? "(something spread)"))
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
  const ends = node.templateSpans.at(-1).literal.text;
  return all.filter((id) => id.startsWith(begins) && id.endsWith(ends));
}
