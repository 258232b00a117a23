import type { Declared } from "./declare.ts";
import * as deliveries from "./deliveries.ts";
import * as feeds from "./feeds.ts";
import * as find from "./find.ts";
import * as formulas from "./formulas.ts";
import * as loads from "./loads.ts";
import * as out from "./out.ts";
import * as matches from "./matches.ts";
import * as quarantine from "./quarantine.ts";
import * as references from "./references.ts";
import * as senders from "./senders.ts";
import * as runs from "./runs.ts";
import * as store from "./store.ts";
import * as work from "./work.ts";
import * as writings from "./writings.ts";

const isDeclared = (value: unknown): value is Declared =>
  typeof value === "object" && value !== null && "method" in value && "path" in value && "takesFile" in value;

const METHODS = ["GET", "POST", "PUT", "DELETE"];
const compareText = (a: string, b: string): number => (a < b ? -1 : a > b ? 1 : 0);

/** Every request of the API by what it is about, those of one path beside each other. */
export const ROUTES: readonly { readonly group: string; readonly routes: readonly Declared[] }[] = [
  { group: "Feeds and plans", of: feeds },
  { group: "Deliveries and profiles", of: deliveries },
  { group: "Runs again", of: runs },
  { group: "Loads", of: loads },
  { group: "Writings", of: writings },
  { group: "Quarantine", of: quarantine },
  { group: "Senders", of: senders },
  { group: "Records found again", of: find },
  { group: "Records out", of: out },
  { group: "Matches", of: matches },
  { group: "Reference lists", of: references },
  { group: "Formulas and sets of checks", of: formulas },
  { group: "Long work", of: work },
  { group: "Sources, tables, room and state", of: store },
].map(({ group, of }) => ({
  group,
  routes: (Object.values(of) as unknown[])
    .filter(isDeclared)
    .sort((a, b) => compareText(a.path, b.path) || METHODS.indexOf(a.method) - METHODS.indexOf(b.method)),
}));
