import type { Random } from "./random.ts";
import { TAXA } from "./words.ts";

/** Older names that lead to an accepted one. */
const SYNONYMS: readonly (readonly [string, string])[] = [
  ["Silene maritima", "Silene uniflora"],
  ["Statice armeria", "Armeria maritima"],
  ["Aster tripolium", "Tripolium pannonicum"],
  ["Arenaria peploides", "Honckenya peploides"],
  ["Spergularia salina", "Spergularia marina"],
  ["Pyrus aucuparia", "Sorbus aucuparia"],
  ["Erica vulgaris", "Calluna vulgaris"],
  ["Scabiosa arvensis", "Knautia arvensis"],
  ["Scabiosa succisa", "Succisa pratensis"],
  ["Pisum maritimum", "Lathyrus japonicus"],
  ["Pulmonaria maritima", "Mertensia maritima"],
  ["Primula officinalis", "Primula veris"],
];

const FAMILIES: Record<string, string> = {
  Silene: "Caryophyllaceae",
  Honckenya: "Caryophyllaceae",
  Spergularia: "Caryophyllaceae",
  Arenaria: "Caryophyllaceae",
  Armeria: "Plumbaginaceae",
  Limonium: "Plumbaginaceae",
  Statice: "Plumbaginaceae",
  Crithmum: "Apiaceae",
  Eryngium: "Apiaceae",
  Glaucium: "Papaveraceae",
  Cakile: "Brassicaceae",
  Plantago: "Plantaginaceae",
  Tripolium: "Asteraceae",
  Aster: "Asteraceae",
  Centaurea: "Asteraceae",
  Suaeda: "Amaranthaceae",
  Salicornia: "Amaranthaceae",
  Atriplex: "Amaranthaceae",
  Beta: "Amaranthaceae",
  Betula: "Betulaceae",
  Sorbus: "Rosaceae",
  Pyrus: "Rosaceae",
  Calluna: "Ericaceae",
  Erica: "Ericaceae",
  Vaccinium: "Ericaceae",
  Drosera: "Droseraceae",
  Narthecium: "Nartheciaceae",
  Primula: "Primulaceae",
  Knautia: "Caprifoliaceae",
  Succisa: "Caprifoliaceae",
  Scabiosa: "Caprifoliaceae",
  Lathyrus: "Fabaceae",
  Pisum: "Fabaceae",
  Mertensia: "Boraginaceae",
  Pulmonaria: "Boraginaceae",
};

const number = (n: number): string => `T${String(n).padStart(4, "0")}`;
const family = (name: string): string => FAMILIES[name.split(" ")[0]!] ?? "";

/** The checklist of taxa: accepted names first, then synonyms that lead to them. */
export const CHECKLIST = {
  name: "taxa",
  title: "Taxon checklist",
  about: "Accepted names of the plants that Ashmere keeps, and the older names that lead to them.",
  shape: { columns: ["id", "name", "accepted", "family"], key: "id", accepted: "accepted" },
  entries: [
    ...TAXA.map((name, i) => [number(i + 1), name, "", family(name)]),
    ...SYNONYMS.map(([name, to], i) => [number(TAXA.length + i + 1), name, number(TAXA.indexOf(to) + 1), family(name)]),
  ],
};

/** How a garden wrote a name down: mostly right, now and then by an older name or with a slip. */
export function writtenTaxon(random: Random): { written: string; taxon: string } {
  const taxon = random.pick(TAXA);
  if (random.chance(0.07)) {
    const [older, now] = random.pick(SYNONYMS);
    return { written: older, taxon: now };
  }
  if (!random.chance(0.12)) return { written: taxon, taxon };
  const i = random.whole(2, taxon.length - 3);
  const written = random.chance(0.5)
    ? taxon.slice(0, i) + taxon.slice(i + 1)
    : taxon.slice(0, i) + taxon[i + 1]! + taxon[i]! + taxon.slice(i + 2);
  return { written, taxon };
}
