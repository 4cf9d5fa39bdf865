/** The engine's rooms from the ground up: each knows those before it, and by their doors only. */
const ROOMS = [
  "engine/ground",
  "engine/records",
  "engine/visibility",
  "insurance",
  "engine/contents",
  "engine/slot",
  "engine/guards",
  "engine/visiting",
  "engine/access",
  "engine/upkeep",
].map((room) => `^core/src/${room}/`);

/** Three storeys; imports only go down; one door per storey and room. */
module.exports = {
  forbidden: [
    { name: "no-circles", comment: "Types count.", severity: "error", from: {}, to: { circular: true } },
    ...ROOMS.slice(0, -1).map((room, i) => ({
      name: `rooms-below-only: ${room}`,
      severity: "error",
      from: { path: room },
      to: { path: ROOMS.slice(i + 1) },
    })),
    ...ROOMS.map((room) => ({
      name: `rooms-by-their-doors: ${room}`,
      severity: "error",
      from: { pathNot: room },
      to: { path: `${room}(?!index\\.ts$)` },
    })),
    {
      name: "watchers-are-handed-what-they-call",
      severity: "error",
      from: { path: "^server/src/watch" },
      to: { path: "^server/src/(operations|http)" },
    },
    {
      name: "core-knows-nobody",
      severity: "error",
      from: { path: "^core/src" },
      to: { path: "^(server|web|cli|demo)/" },
    },
    {
      name: "core-has-no-interface",
      severity: "error",
      from: { path: "^core/src" },
      to: { path: "node_modules/(next|react|react-dom|drizzle-orm|better-sqlite3)/" },
    },
    {
      name: "format-below-engine",
      severity: "error",
      from: { path: "^core/src/(format|crypto|errors)" },
      to: { path: "^core/src/(engine|worker|onlooker|platform)" },
    },
    {
      name: "crypto-below-format",
      severity: "error",
      from: { path: "^core/src/crypto" },
      to: { path: "^core/src/format" },
    },
    {
      name: "the-platform-is-handed-in",
      comment: "What the engine asks of the computer, it asks through the port.",
      severity: "error",
      from: { path: "^core/src/(engine|format|crypto|insurance|errors)" },
      to: { path: "^(node:)?(fs|os|child_process|net|worker_threads)$|node_modules/koffi/" },
    },
    {
      name: "engine-knows-no-platform",
      severity: "error",
      from: { path: "^core/src/(engine|format|crypto|insurance)" },
      to: { path: "^core/src/platform/(linux|windows|macos)" },
    },
    {
      name: "server-uses-the-core-by-its-door",
      severity: "error",
      from: { path: "^server/src" },
      // The table of calls, which the page reads too, may name what is chosen among.
      to: { path: "^core/src/(?!index\\.ts|format/(guards|choices)\\.ts)" },
    },
    {
      name: "calls-are-pure",
      comment: "The pages read the table of calls, too.",
      severity: "error",
      from: { path: "^server/src/calls" },
      to: { path: "^(core|server)/src/(?!calls/|format/(guards|choices)\\.ts)" },
    },
    { name: "server-below-web-and-cli", severity: "error", from: { path: "^server/src" }, to: { path: "^(web|cli)/" } },
    {
      name: "operations-know-no-http",
      severity: "error",
      from: { path: "^server/src/operations" },
      to: { path: "^server/src/http" },
    },
    {
      name: "cli-uses-the-doors",
      severity: "error",
      from: { path: "^cli/src" },
      to: { path: "^(core/src/(?!index\\.ts)|server/src/(?!index\\.ts)|web/)" },
    },
    {
      name: "rescue-needs-no-engine",
      severity: "error",
      from: { path: "^(rescue/src|core/src/rescue)" },
      to: { path: "^(core/src/(engine|worker|platform|onlooker)|server/|web/|cli/)" },
    },
    {
      name: "rescue-page-needs-no-disk",
      severity: "error",
      from: { path: "^core/src/rescue/(index|locked-folder|salvage|sealed-object|source)" },
      to: { path: "^(node:)?(fs|path|os)$" },
    },
    {
      name: "web-knows-the-contract-only",
      severity: "error",
      from: { path: "^web/" },
      to: {
        path: "^(core|server|cli)/src/(?!(?:contract|strength|call-body|calls/index|size-words|format/guards)\\.ts)",
      },
    },
    {
      name: "ui-fetches-nothing",
      severity: "error",
      from: { path: "^web/ui" },
      to: { path: "^web/(features|lib/(api|queries|events|tab))" },
    },
    {
      name: "features-know-no-other-feature",
      comment: "What two of them need is a part, or of the look alone.",
      severity: "error",
      from: { path: "^web/features/([^/]+)/" },
      to: { path: "^web/features/", pathNot: "^web/features/$1/" },
    },
    {
      name: "features-below-the-shell",
      severity: "error",
      from: { path: "^web/(features|parts|ui|lib)" },
      to: { path: "^web/(shell|app)/" },
    },
    {
      name: "parts-below-features",
      severity: "error",
      from: { path: "^web/(parts|ui|lib)" },
      to: { path: "^web/features/" },
    },
    { name: "ui-and-lib-below-parts", severity: "error", from: { path: "^web/(ui|lib)" }, to: { path: "^web/parts/" } },
    { name: "routes-only-mount", severity: "error", from: { path: "^web/app" }, to: { path: "^web/(lib|ui)/" } },
  ],
  options: {
    doNotFollow: { path: "node_modules" },
    exclude: { path: "(^|/)(dist|\\.next)/" },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: "tsconfig.imports.json" },
    enhancedResolveOptions: { exportsFields: ["exports"], conditionNames: ["types", "import", "default"] },
  },
};
