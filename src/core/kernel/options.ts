import type { z } from "zod";
import type { Unchanging } from "./unchanging.ts";

/** The options of a part, as the schema gives them that the part declares: written once, and changed by nobody. */
export type OptionsOf<Shape extends z.ZodRawShape> = Unchanging<z.infer<z.ZodObject<Shape>>>;
