import { listReferences } from "@/routes/references.ts";
import { ask } from "../kit/api.ts";

/** The reference lists that there are, for whoever asks for them: asked once for all of a page. */
export const REFERENCES_QUERY = {
  queryKey: ["references"],
  queryFn: () => ask(listReferences),
};
