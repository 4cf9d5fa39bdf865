/** An element of an XML text: where it begins and ends, and its attributes. */
export interface XmlElement {
  readonly name: string;
  /** Offsets in the text, of the first character and behind the last. */
  readonly start: number;
  readonly end: number;
  readonly attributes: ReadonlyMap<string, string>;
}

const TOKEN =
  /<!--[^]*?-->|<!\[CDATA\[[^]*?\]\]>|<\?[^]*?\?>|<!DOCTYPE[^>[]*(?:\[[^\]]*\][^>]*)?>|<\/([^\s>]+)\s*>|<([^\s/>!?]+)((?:\s+[^\s=/>]+\s*=\s*(?:"[^"<]*"|'[^'<]*'))*)\s*(\/?)>|</g;
const ATTRIBUTE = /([^\s=]+)\s*=\s*(?:"([^"]*)"|'([^']*)')/g;
const ENTITIES: Readonly<Record<string, string>> = { lt: "<", gt: ">", amp: "&", quot: '"', apos: "'" };

/** Character references and the five entities that every XML text has. */
export function unescaped(text: string): string {
  return text.replace(/&(?:#(\d+)|#x([0-9a-f]+)|(\w+));/gi, (all, decimal?: string, hex?: string, name?: string) => {
    if (name !== undefined) return ENTITIES[name] ?? all;
    const code = decimal === undefined ? parseInt(hex ?? "", 16) : Number(decimal);
    return code <= 0x10ffff ? String.fromCodePoint(code) : all;
  });
}

/**
 * The elements of a text in the order in which they end, each with the place where it stands, so that one can be cut out
 * and everything else stays as it is. Null for what is not well-formed. XML 1.0, as far as lists of programs need it.
 */
export function xmlElements(text: string): XmlElement[] | null {
  const elements: XmlElement[] = [];
  const open: Omit<XmlElement, "end">[] = [];
  for (const token of text.matchAll(TOKEN)) {
    const [all, closing, opening, given = "", slash] = token;
    const start = token.index;
    const end = start + all.length;
    if (closing !== undefined) {
      const begun = open.pop();
      if (begun?.name !== closing) return null;
      elements.push({ ...begun, end });
    } else if (opening !== undefined) {
      const attributes = new Map(
        [...given.matchAll(ATTRIBUTE)].map(([, name = "", double, single]) => [
          name,
          unescaped(double ?? single ?? ""),
        ]),
      );
      const begun = { name: opening, start, attributes };
      if (slash === "/") elements.push({ ...begun, end });
      else open.push(begun);
    } else if (all === "<") return null;
  }
  return open.length === 0 && elements.length > 0 ? elements : null;
}
