import { z } from "zod";

/** The name of a field, a feed or a list, as plans write it. */
export const plainNameSchema = z.string().regex(/^[a-z][a-z0-9_]{0,62}$/);
