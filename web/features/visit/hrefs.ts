/** Paths inside a visited folder: names percent-encoded, after slashes. */
export function parentHref(href: string): string {
  return href.slice(0, href.lastIndexOf("/")) || "/";
}

export function childHref(above: string, name: string): string {
  return `${above === "/" ? "" : above}/${encodeURIComponent(name)}`;
}

export function lastName(href: string): string {
  const part = href.slice(href.lastIndexOf("/") + 1);
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

/** The directories on the way to one, itself last; the folder itself is not among them. */
export function wayTo(href: string): readonly string[] {
  return href === "/" ? [] : [...wayTo(parentHref(href)), href];
}
