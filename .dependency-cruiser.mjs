/**
 * What may import what, values and types alike, by relative paths and by @/. `npm run lint` holds it.
 *
 * The core's rooms stand in the order of a load's course: each may import those before it, none after.
 */
export const ROOMS = [
  "kernel",
  "type",
  "field",
  "formula",
  "write",
  "read",
  "cleanse",
  "check",
  "match",
  "lookup",
  "gate",
  "plan",
  "profile",
  "map",
  "course",
  "report",
  "sample",
  "mend",
  "interop",
  "docs",
];

/** What every part of a plan speaks of stands with the plan, and imports no room but the kernel. */
const LEAVES = "^src/core/plan/(types|name)\\.ts$";

/** The layers above the core, and what each must not import. */
const LAYERS = {
  store: ["engine", "routes", "web", "cli", "ui", "app"],
  engine: ["routes", "web", "cli", "ui", "app"],
  routes: ["web", "cli", "ui", "app"],
  web: ["cli", "ui", "app"],
  cli: ["web", "ui", "app"],
  ui: ["web", "cli", "app"],
  app: ["cli"],
};

const room = (name) => `^src/core/${name}/`;
const inside = (path) => `^src/(${path})/`;

export default {
  forbidden: [
    {
      name: "no-circles",
      comment: "Files that import one another, if only types, can't be understood one at a time.",
      severity: "error",
      from: {},
      to: { circular: true },
    },
    ...ROOMS.slice(0, -1).map((name, i) => ({
      name: `core-${name}-comes-first`,
      comment: `${name} imports nothing of the rooms after it.`,
      severity: "error",
      from: { path: room(name) },
      to: { path: room(`(${ROOMS.slice(i + 1).join("|")})`), pathNot: LEAVES },
    })),
    {
      name: "plan-leaves",
      comment: "The types that all parts share import nothing but what is below all.",
      severity: "error",
      from: { path: LEAVES },
      to: { path: "^src/", pathNot: [room("kernel"), LEAVES] },
    },
    {
      name: "core-rooms-are-known",
      comment: "A folder of the core has its place in ROOMS.",
      severity: "error",
      from: {},
      to: { path: "^src/core/", pathNot: room(`(${ROOMS.join("|")})`) },
    },
    {
      name: "core-is-below-all",
      severity: "error",
      from: { path: "^src/core/" },
      to: { path: inside(Object.keys(LAYERS).join("|")) },
    },
    {
      name: "core-is-pure",
      comment: "The core computes: it has no files, no threads, no clock of Node's, no database and no screens.",
      severity: "error",
      from: { path: "^src/core/" },
      to: { dependencyTypes: ["core"] },
    },
    {
      name: "core-has-no-database-and-no-screens",
      severity: "error",
      from: { path: "^src/core/" },
      to: {
        path: "node_modules/(pg|pg-[^/]+|graphile-worker|react|react-dom|next|d3-[^/]+|@tanstack|@types/(pg|react))(/|$)",
      },
    },
    ...Object.entries(LAYERS).map(([name, above]) => ({
      name: `${name}-knows-nothing-above`,
      severity: "error",
      from: { path: inside(name) },
      to: { path: inside(above.join("|")) },
    })),
    {
      name: "ui-asks-the-api",
      comment:
        "Screens, and what is declared of the API, take types from store and engine, never code, which needs the database.",
      severity: "error",
      from: { path: inside("ui|routes") },
      to: { path: inside("store|engine"), dependencyTypesNot: ["type-only"] },
    },
    {
      name: "links-are-ours",
      comment: "Links are those of ui/kit/link.tsx, which ask for no page before somebody goes there.",
      severity: "error",
      from: { path: "^src/", pathNot: "^src/ui/kit/link\\.tsx$" },
      to: { path: "node_modules/next/link" },
    },
  ],
  options: {
    tsConfig: { fileName: "tsconfig.json" },
    tsPreCompilationDeps: true,
    doNotFollow: { path: "node_modules" },
    exclude: { path: "\\.(css|sql)$" },
    enhancedResolveOptions: { extensions: [".ts", ".tsx", ".mjs", ".js"] },
  },
};
