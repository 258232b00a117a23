import packageJson from "../../../../package.json";
import { handle } from "@/app/server.ts";
import { openApiDocument } from "@/routes/openapi.ts";
import { openApi } from "@/routes/store.ts";

export const GET = handle(openApi, async () => openApiDocument(packageJson.version));
