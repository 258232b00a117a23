import { newest } from "./newest.ts";
import type { FigurePart } from "./part.ts";
import { shares } from "./shares.ts";
import { sum } from "./sum.ts";

/** Every figure; a field has the first that its type comes to. */
export const FIGURE_PARTS: readonly FigurePart[] = [sum, newest, shares];
