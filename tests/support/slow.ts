import { it } from "vitest";

/**
 * A test of some seconds, of which a fault that is planted would be run through all of: it is left out
 * where faults are planted (`npm run test:mutants`), so that the share that is said there is what the
 * quick tests notice.
 */
export const slow = it.skipIf(process.env["MUTANT_TESTS"] !== undefined);
