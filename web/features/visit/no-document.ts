/**
 * The reader of Markdown decodes character references with the page's document, which a thread has none of. For
 * measuring, any letter will do.
 */
const element = { innerHTML: "", textContent: "x" };
Object.assign(self, { document: { createElement: () => element } });
export {};
