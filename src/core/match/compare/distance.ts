import { z } from "zod";
import type { ComparatorPart } from "../part.ts";
import type { OptionsOf } from "../../kernel/options.ts";

const options = { km: z.number().positive().describe("Kilometres from which on they are not alike at all") };

export type DistanceOptions = OptionsOf<typeof options>;

const EARTH_KM = 6371.0088;

/** Kilometres between two places, latitude and longitude in degrees. Sinnott (1984), the haversine formula. */
export function kilometres(lat1: number, lon1: number, lat2: number, lon2: number): number {
  const rad = Math.PI / 180;
  const a =
    Math.sin(((lat2 - lat1) * rad) / 2) ** 2 +
    Math.cos(lat1 * rad) * Math.cos(lat2 * rad) * Math.sin(((lon2 - lon1) * rad) / 2) ** 2;
  return 2 * EARTH_KM * Math.asin(Math.min(1, Math.sqrt(a)));
}

export const distance: ComparatorPart<DistanceOptions> = {
  id: "distance",
  title: "Distance on the ground",
  about: "For two fields, latitude and longitude in degrees: how near the places are to each other.",
  source: "Sinnott (1984)",
  options,
  blocking: "nothing",
  prepare: () => (text) => {
    const [lat, lon] = text.trim().split(/\s+/).map(Number);
    const sound = lat !== undefined && lon !== undefined && Math.abs(lat) <= 90 && Math.abs(lon) <= 180;
    return sound ? `${lat} ${lon}` : "";
  },
  compare: ({ km }) => {
    return (a, b) => {
      if (a === b) return 1;
      const [lat1, lon1] = a.split(" ").map(Number);
      const [lat2, lon2] = b.split(" ").map(Number);
      return Math.max(0, Math.min(0.999, 1 - kilometres(lat1!, lon1!, lat2!, lon2!) / km));
    };
  },
  levels: [0.95, 0.8, 0.5, 0.001],
  examples: [
    { options: { km: 10 }, a: "54.5 -2.25", b: "54.5 -2.25", likeness: 1 },
    { options: { km: 1000 }, a: "52.52 13.405", b: "48.8566 2.3522", likeness: 0.12 },
    { options: { km: 10 }, a: "54.5 -2.25", b: "-33.9 18.4", likeness: 0 },
  ],
};
