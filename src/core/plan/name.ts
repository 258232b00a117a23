import { z } from "zod";

/** The name of a field, a feed or a list, as plans write it. */
export const plainNameSchema = z.string().regex(/^[a-z][a-z0-9_]{0,62}$/);

/** The name of a table, a schema or a column, which another program may have given it. */
export const sqlNameSchema = z.string().regex(/^[A-Za-z_][A-Za-z0-9_$]{0,62}$/);

/** Schemas that hold no targets of others. */
export const OWN_SCHEMAS: readonly string[] = [
  "sieve",
  "staging",
  "target",
  "undo",
  "graphile_worker",
  "information_schema",
];

/** A schema in which others have their tables, which may be targets. */
export const othersSchema = sqlNameSchema.refine(
  (s) => !OWN_SCHEMAS.includes(s) && !s.startsWith("pg_"),
  "This schema is not for targets.",
);
