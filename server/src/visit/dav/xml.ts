import { DOMParser, type Element, type Node, XMLSerializer } from "@xmldom/xmldom";

/** The XML of WebDAV (RFC 4918 §14): bodies read with namespaces, answers written by hand. */
const DAV = "DAV:";

export class BadXml extends Error {}

/** The root element of a body. @throws BadXml */
export function parseXml(text: string): Element {
  try {
    const problems: string[] = [];
    const document = new DOMParser({
      onError: (level, message) => void (level === "warning" || problems.push(message)),
    }).parseFromString(text, "application/xml");
    const root = document.documentElement;
    if (problems.length > 0 || !root || document.doctype) throw new BadXml(problems[0] ?? "no root element");
    requireNamespaces(root);
    return root;
  } catch (error) {
    if (error instanceof BadXml) throw error;
    throw new BadXml(error instanceof Error ? error.message : "not well-formed");
  }
}

/** A prefix can't stand for no namespace. Source: Namespaces in XML 1.0, §5. */
function requireNamespaces(element: Element): void {
  for (let i = 0; i < element.attributes.length; i++) {
    const attribute = element.attributes.item(i);
    if (attribute?.name.startsWith("xmlns:") && attribute.value === "")
      throw new BadXml("a prefix stands for no namespace");
  }
  for (const child of childrenOf(element)) requireNamespaces(child);
}

export function childrenOf(element: Element): Element[] {
  const children: Element[] = [];
  for (let node: Node | null = element.firstChild; node; node = node.nextSibling)
    if (node.nodeType === 1) children.push(node as Element);
  return children;
}

export function isDav(element: Element, name: string): boolean {
  return element.namespaceURI === DAV && element.localName === name;
}

export function childNamed(element: Element, name: string): Element | null {
  return childrenOf(element).find((child) => isDav(child, name)) ?? null;
}

/** An element as text, with every namespace it needs. */
export function serialize(element: Element): string {
  return new XMLSerializer().serializeToString(element);
}

export function innerXml(element: Element): string {
  let inner = "";
  for (let node: Node | null = element.firstChild; node; node = node.nextSibling)
    inner += new XMLSerializer().serializeToString(node);
  return inner;
}

export function escapeXml(text: string): string {
  return text.replace(
    /[&<>"]/g,
    (letter) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[letter] ?? letter,
  );
}

export interface PropertyName {
  /** Empty for a property in no namespace. */
  readonly namespace: string;
  readonly name: string;
}

export function localNameOf(element: Element): PropertyName {
  return { namespace: element.namespaceURI ?? "", name: element.localName ?? element.nodeName };
}

export function keyOf({ namespace, name }: PropertyName): string {
  return `${namespace} ${name}`;
}

/** An empty element of that name. */
export function emptyElement({ namespace, name }: PropertyName): string {
  if (namespace === DAV) return `<D:${name}/>`;
  return `<${name} xmlns="${escapeXml(namespace)}"/>`;
}
