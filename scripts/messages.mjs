/**
 * Sentences stand in `words/` and nowhere else: each message there is used, is well-formed, and is filled with exactly
 * what it names; and no source has prose of its own, but where nobody at the keyboard reads it.
 */
import { spawnSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import ts from "typescript";
import { areaOf, at, each, saidIn, sourceOf } from "./messages-in.mjs";
import { root } from "./steps.mjs";

/**
 * Where prose is no sentence of Eremos', each with its reason.
 *
 * @type {[where: RegExp, why: string][]}
 */
const EXEMPT = [
  [/^core\/src\/platform\//, "signatures of the system's own functions"],
  [/^server\/src\/calls\//, "what docs/API.md says of each call"],
  [/^server\/src\/visit\/dav\//, "words of the protocol"],
  [/^server\/src\/desktop\//, "commands and files of the system's own"],
  [/^demo\//, "the sample data"],
  [/^server\/src\/known-phrases\.ts$/, "what is guessed first"],
  [/\.d\.ts$|^web\/next\.config/, "no code of ours"],
];

/** Texts that are data: they stand on disks, in headers or in the system's own files, the same in every language. */
const DATA = [
  /^(arrived while locked|from the copy|brought out|Left over while locked|Found again|Locked with Eremos\.html|Open with Eremos)$/,
  /^This folder is sealed by Eremos\. |^with Eremos or with any reader written /,
  /^AES-256-GCM /,
  /^(use client|SHA-256)$/,
  /^: still here|^cut off$|charset=utf-8$|^HTTP\/1\.1 |^default-src |^sandbox; |^img-src |HttpOnly|^attachment; |^camera=|^(<!doctype|\s*<)/,
  /^(SELECT|INSERT|UPDATE|DELETE|CREATE|PRAGMA|VACUUM)\b/,
  /^(sudo|gio|kill) |^\[Desktop Entry\]|^\[Trash Info\]/,
];

/** The arguments of these are for who programs, or for the machine. */
const FOR_PROGRAMMERS = /^(Error|TypeError|RangeError|SyntaxError|BadXml|Status|requireLength|cn|clsx|cva|sql)$/;
const NO_WORDS =
  /^(className|href|d|viewBox|id|type|name|key|preserveAspectRatio|transform|accept|data-.*|columns|queryKey)$/;

const K = ts.SyntaxKind;
const wrong = [];
const files = spawnSync(
  "git",
  ["ls-files", "--cached", "--others", "--exclude-standard", "words", "core", "server", "cli", "rescue", "web"],
  { cwd: root, encoding: "utf8" },
)
  .stdout.split("\n")
  .filter((file) => /\.tsx?$/.test(file) && !/(^|\/)test\//.test(file));

/** What a message is filled with. ICU's own kinds: 0 is text, 7 is "#". */
function namesIn(elements, names = new Set()) {
  for (const element of elements) {
    if (element.type !== 0 && element.type !== 7) names.add(element.value);
    for (const { value } of Object.values(element.options ?? {})) namesIn(value, names);
  }
  return names;
}

const areas = new Map();
for (const file of files.filter((name) => name.startsWith("words/src/"))) {
  const found = areaOf(file);
  if (!found) continue;
  areas.set(found.area, found.messages);
  if (file !== `words/src/${found.area}.ts`) wrong.push(`${file}: the area "${found.area}" has another file`);
  for (const [id, { problem, node }] of found.messages)
    if (problem !== null) wrong.push(`${at(node)}: "${id}" is no ICU message: ${problem}`);
}

const used = new Set();
for (const file of files.filter((name) => !name.startsWith("words/"))) {
  const source = sourceOf(file);
  for (const { node, area, ids, isOne, filled } of saidIn(source, areas))
    for (const id of ids) {
      used.add(`${area}.${id}`);
      const message = areas.get(area)?.get(id);
      if (!message?.read || !isOne || !filled) continue;
      const names = namesIn(message.read);
      for (const name of names) if (!filled.has(name)) wrong.push(`${at(node)}: "${id}" is not told {${name}}`);
      for (const name of filled) if (!names.has(name)) wrong.push(`${at(node)}: "${id}" has no {${name}}`);
    }
  if (!EXEMPT.some(([where]) => where.test(file))) each(source, lookForProse);
  for (const { node, area, ids } of saidIn(source, areas))
    if (isWholeError(node))
      for (const id of ids)
        if (!saysWhatNext(areas.get(area)?.get(id)?.text ?? ""))
          wrong.push(`${at(node)}: "${id}" says what happened, and not what is safe or what to do next`);
}

/** Damage that only its finder's own words tell of is made by `damage`, which adds the rest. */
function isWholeError(node) {
  let { parent } = node;
  while (ts.isConditionalExpression(parent) || ts.isParenthesizedExpression(parent)) ({ parent } = parent);
  return ts.isNewExpression(parent) && parent.expression.getText() === "EremosError";
}

function saysWhatNext(text) {
  const sentences = text.replace(/^\{\w+\} | \{\w+\}$/g, " It is so. ").match(/[.;:](?=[\s}]|$)/g) ?? [];
  return sentences.length > 1;
}

function textOf(node) {
  if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) return node.text;
  if (ts.isTemplateExpression(node))
    return node.head.text + node.templateSpans.map((s) => `0${s.literal.text}`).join("");
  return ts.isJsxText(node) ? node.text.trim() : null;
}

function lookForProse(node) {
  const text = textOf(node);
  if (text === null || DATA.some((data) => data.test(text.trim()))) return;
  const isProse = ts.isJsxText(node) ? /\p{L}{2,}/u.test(text) : isSentence(text) || isShown(node, text);
  if (isProse && !isForOthers(node)) wrong.push(`${at(node)}: a sentence outside words/: ${text.replace(/\s+/g, " ")}`);
}

function isSentence(text) {
  if (
    /[\w\]]:[\w[]|\[[^ ]+\]|(^| )(m|p|w|h|gap|size|text|font|bg|min|max|mt|mb|px|py)[xytrbl]?-[\w/.]+( |$)/.test(text)
  )
    return false;
  return /[A-Za-z’']{2,}[,.:;…!?”)]* +["“(]?[A-Za-z]{2,}/.test(text);
}

/** A single word counts where it stands as a child of the page, or begins with a capital behind a label. */
function isShown(node, text) {
  if (!/^\p{L}[\p{L}’]+[….:]?$/u.test(text.trim())) return false;
  let [child, parent] = [node, node.parent];
  while (
    ts.isParenthesizedExpression(parent) ||
    (ts.isConditionalExpression(parent) && parent.condition !== child) ||
    (ts.isBinaryExpression(parent) && parent.right === child && parent.operatorToken.kind !== K.EqualsEqualsEqualsToken)
  )
    [child, parent] = [parent, parent.parent];
  if (ts.isJsxAttribute(parent))
    return /^(label|title|aria-label|placeholder|description|action)$/.test(parent.name.getText());
  return ts.isJsxExpression(parent) && (ts.isJsxElement(parent.parent) || ts.isJsxFragment(parent.parent));
}

function isForOthers(node) {
  const { parent } = node;
  if (ts.isImportDeclaration(parent) || ts.isExportDeclaration(parent) || ts.isLiteralTypeNode(parent)) return true;
  if (ts.isPropertyAssignment(parent) && parent.name === node) return true;
  if (ts.isTaggedTemplateExpression(parent)) return true;
  for (let around = parent; around; around = around.parent) {
    if (
      (ts.isNewExpression(around) || ts.isCallExpression(around)) &&
      FOR_PROGRAMMERS.test(around.expression.getText().replace(/.*\./, ""))
    )
      return true;
    if ((ts.isJsxAttribute(around) || ts.isPropertyAssignment(around)) && NO_WORDS.test(around.name.getText()))
      return true;
  }
  return false;
}

/** What is said itself, without what it is filled with. */
function wordsIn(elements) {
  return elements
    .map(({ type, value, options }) =>
      type === 0
        ? value
        : Object.values(options ?? {})
            .map((option) => wordsIn(option.value))
            .join(" "),
    )
    .join(" ");
}

const [, table = ""] = readFileSync(join(root, "docs/GLOSSARY.md"), "utf8").split("## Words of its makers");
const makers = [...table.split("\n## ")[0].matchAll(/^\| ([\w, -]+) \| (.+) \|$/gm)]
  .filter(([, word]) => word !== "word")
  .flatMap(([, words, instead]) => words.split(", ").map((word) => ({ word, instead })));
if (makers.length === 0) throw new Error("docs/GLOSSARY.md has no table of its makers' words");
/** Behind *Details*; and names of commands. */
const MAY = ["page/settings.argon2id-with-mib-memory-and"];
for (const [area, messages] of areas)
  for (const [id, { read, node }] of messages)
    for (const { word, instead } of makers)
      if (read && !MAY.includes(`${area}.${id}`) && new RegExp(`\\b${word}\\b`, "i").test(wordsIn(read)))
        wrong.push(`${at(node)}: "${word}" is a word of our own in "${id}": ${instead}`);

let count = 0;
for (const [area, messages] of areas)
  for (const id of messages.keys()) {
    count++;
    if (!used.has(`${area}.${id}`)) wrong.push(`words/src/${area}.ts: "${id}" is said nowhere`);
  }

for (const line of wrong.slice(0, 60)) process.stderr.write(`${line}\n`);
process.stdout.write(`${count} messages in ${areas.size} areas\n`);
process.exitCode = wrong.length > 0 ? 1 : 0;
