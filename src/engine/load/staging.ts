import { ident, type Queryable } from "@/store/db.ts";

// No target's name has a space, so that a staged table can stand among the targets for a moment.
/** The quoted name of the table in which a load's good records stand until they are written. */
export const staging = (load: number): string => ident("staging", `load ${load}`);
/** The table of its held records. */
export const stagingHeld = (load: number): string => ident("staging", `held ${load}`);
/** The table of what its records meet in the target. */
export const stagingMet = (load: number): string => ident("staging", `met ${load}`);

export async function dropStaging(db: Queryable, load: number): Promise<void> {
  await db.query(`drop table if exists ${staging(load)}, ${stagingHeld(load)}, ${stagingMet(load)}`);
}
