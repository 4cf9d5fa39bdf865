import { IntlMessageFormat } from "intl-messageformat";

/** What a message is filled with: `select` takes words and booleans, `plural` and `number` take numbers. */
export type Values = Readonly<Record<string, string | number | boolean | Said | null>>;

/**
 * A sentence as data: which message, filled with what, and how it reads. It crosses processes as it is, and who has the
 * catalogue in another language says it anew from `id` and `values`.
 */
export interface Said {
  /** The area and the message in it, as in `core/format.folder-has-no-header`. */
  readonly id: string;
  readonly values: Values;
  readonly text: string;
}

export interface Speaker<Id extends string> {
  /** The message, filled. */
  readonly say: (id: Id, values?: Values) => string;
  /** The message, filled, with its id and what it was filled with. */
  readonly said: (id: Id, values?: Values) => Said;
}

/** As it is written, or read already by who bundles it. */
type Message = ConstructorParameters<typeof IntlMessageFormat>[0];

const LANGUAGE = "en";

/** Of words and plain places alone, as most messages are: no choice, no number that is written out. */
const PLAIN = /^(?:[^{}']|''|'(?![{}<>'])|\{\w+\})*$/;

/** What the reader of messages would make of it, in a fraction of the time that loading its rules takes. */
function filledPlainly(message: string, values: ReturnType<typeof plain>): string | null {
  let isWhole = PLAIN.test(message);
  const text = message.replace(/''|\{(\w+)\}/g, (_, name?: string) => {
    if (name === undefined) return "'";
    const value = values[name];
    isWhole &&= typeof value === "string" || typeof value === "number";
    return String(value);
  });
  return isWhole ? text : null;
}

/** Speaks an area's messages, which are ICU MessageFormat. Each is read when it is said for the first time. */
export function speaker<const Messages extends Readonly<Record<string, Message>>>(
  area: string,
  messages: Messages,
): Speaker<keyof Messages & string> {
  const read = new Map<string, IntlMessageFormat>();
  const fill = (id: string, message: Message, values: Values): string => {
    const filling = plain(values);
    const filled = typeof message === "string" ? filledPlainly(message, filling) : null;
    if (filled !== null) return filled;
    const format = read.get(id) ?? new IntlMessageFormat(message, LANGUAGE, undefined, { ignoreTag: true });
    read.set(id, format);
    return String(format.format(filling));
  };
  const said = (id: keyof Messages & string, values: Values = {}): Said => ({
    id: `${area}.${id}`,
    values,
    text: fill(id, messages[id] ?? id, values),
  });
  return { say: (id, values) => said(id, values).text, said };
}

/** What is said within a sentence is said as it reads. */
function plain(values: Values): Record<string, string | number | boolean | null> {
  return Object.fromEntries(
    Object.entries(values).map(([name, value]) => [
      name,
      typeof value === "object" && value !== null ? value.text : value,
    ]),
  );
}
