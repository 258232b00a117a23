import { z } from "zod";
import type { Declared } from "./declare.ts";
import { ROUTES } from "./index.ts";
import { COMMON_PROBLEMS, OF_WHAT_IS_GIVEN, STATUS, statusOf } from "./problems.ts";

type Json = Record<string, unknown>;

/** The JSON Schema (draft 2020-12) of what is given or got; what Zod can't say is anything. */
function schemaOf(type: z.ZodType, io: "input" | "output"): Json {
  const { $schema: _, ...schema } = z.toJSONSchema(type, { io, unrepresentable: "any" });
  return schema;
}

function parametersOf({ params, query, path }: Declared): Json[] {
  const declared = z.toJSONSchema(z.object(query), { io: "input", unrepresentable: "any" });
  const inQuery = Object.entries(declared.properties ?? {}).map(([name, schema]) => ({
    name,
    in: "query",
    required: declared.required?.includes(name) ?? false,
    schema,
  }));
  const inPath = [...path.matchAll(/\{(\w+)\}/g)].map(([, name = ""]) => {
    const type = params[name] as z.ZodType | undefined;
    return { name, in: "path", required: true, schema: type ? schemaOf(type, "input") : { type: "string" } };
  });
  return [...inPath, ...inQuery];
}

/** Codes of problems by the status that they come with. */
function problemsOf(route: Declared): Json {
  const byStatus = new Map<number, string[]>();
  const ofPath = Object.keys(route.params).some((p) => p === "feed") ? ["no-feed"] : [];
  for (const code of [...ofPath, ...route.problems, ...COMMON_PROBLEMS]) {
    byStatus.set(statusOf(code), [...(byStatus.get(statusOf(code)) ?? []), code]);
  }
  return Object.fromEntries(
    [...byStatus]
      .sort(([a], [b]) => a - b)
      .map(([status, codes]) => [
        status,
        {
          description: codes.map((c) => `urn:good-sieve:${c}`).join(", "),
          content: { "application/problem+json": { schema: { $ref: "#/components/schemas/Problem" } } },
        },
      ]),
  );
}

function operationOf(name: string, group: string, route: Declared): Json {
  const json = route.body && { "application/json": { schema: schemaOf(route.body, "input") } };
  const file = { "application/octet-stream": { schema: { type: "string", format: "binary" } } };
  const answer =
    route.gives === "application/json" ? schemaOf(route.answer, "output") : ({ type: "string" } satisfies Json);
  return {
    operationId: name,
    tags: [group],
    summary: route.about,
    parameters: parametersOf(route),
    ...(json ? { requestBody: { required: true, content: json } } : {}),
    ...(route.takesFile ? { requestBody: { required: true, content: file } } : {}),
    responses: {
      200: { description: "Done", content: { [route.gives]: { schema: answer } } },
      ...problemsOf(route),
    },
  };
}

/** The API as OpenAPI 3.1 describes it. `version`: the application's. */
export function openApiDocument(version: string): Json {
  const paths: Record<string, Json> = {};
  for (const { group, routes } of ROUTES) {
    for (const route of routes) {
      const name =
        `${route.method.toLowerCase()}${route.path.replace(/^\/api/, "").replace(/\W+(\w)/g, (_, c: string) => c.toUpperCase())}`.replace(
          /\W/g,
          "",
        );
      paths[route.path] = { ...paths[route.path], [route.method.toLowerCase()]: operationOf(name, group, route) };
    }
  }
  return {
    openapi: "3.1.0",
    info: {
      title: "Good Sieve",
      version,
      description:
        "A request that changes something says where it comes from: Origin, the address that it asks, and Sec-Fetch-Site: same-origin. Problems are those of RFC 9457.",
    },
    tags: ROUTES.map(({ group }) => ({ name: group })),
    paths,
    components: {
      schemas: {
        Problem: {
          type: "object",
          required: ["type", "title", "detail", "hint"],
          properties: {
            type: { type: "string", description: "urn:good-sieve: and the problem's code" },
            title: { type: "string", description: "What is wrong with which thing" },
            detail: { type: "string", description: "The facts" },
            hint: { type: "string", description: "What to do" },
            request: { type: "string", description: "The request's number, as in the log" },
          },
        },
      },
    },
  };
}

const code = (text: string): string => `\`${text.replaceAll("|", "\\|")}\``;

/** The names of what a body gives, those that may be left out with a question mark; of one of several kinds, all of theirs. */
function namesOf(schema: Json): string[] {
  const {
    properties,
    required = [],
    oneOf,
    anyOf,
  } = schema as Record<"oneOf" | "anyOf", Json[] | undefined> & {
    properties?: Json;
    required?: string[];
  };
  const kinds = oneOf ?? anyOf;
  if (kinds) return [...new Set(kinds.flatMap(namesOf))];
  return Object.keys(properties ?? {}).map((n) => (required.includes(n) ? n : `${n}?`));
}

/** docs/api.md, from the declarations. */
export function apiPage(): string {
  const rows = ({ method, path, query, body, about, takesFile, problems }: Declared): string => {
    const asked = Object.keys(query).join("&");
    const given = body ? namesOf(schemaOf(body, "input")).join(", ") : takesFile ? "the file" : "";
    const what = [asked && `?${asked}`, given && (takesFile ? given : `{${given}}`)]
      .filter(Boolean)
      .map((t) => code(String(t)));
    return `| ${code(`${method} ${path}`)} | ${what.join(" ")} | ${about} | ${problems.map(code).join(", ")} |`;
  };
  const groups = ROUTES.map(
    ({ group, routes }) => `## ${group}

| request | given | what it does | problems |
|---|---|---|---|
${routes.map(rows).join("\n")}
`,
  );
  const statuses = Object.entries(
    [...new Set([...Object.keys(STATUS), ...COMMON_PROBLEMS, ...OF_WHAT_IS_GIVEN])]
      .sort()
      .reduce<Record<number, string[]>>((by, c) => ({ ...by, [statusOf(c)]: [...(by[statusOf(c)] ?? []), c] }), {}),
  );
  return `# The HTTP API

JSON in and out, described by OpenAPI 3.1 under \`/api/openapi.json\`. Errors are RFC 9457 problem details with \`title\`, \`detail\` and \`hint\`; their \`type\` is \`urn:good-sieve:\` and a code. Each answer has a number, \`x-request-id\`, which is \`request\` in problem details. A request that changes something says where it comes from: a program sends \`Origin: http://127.0.0.1:4310\` (the address that it asks) and \`Sec-Fetch-Site: same-origin\`; without both it is refused, as is what comes from another site or asks by a name that is not one of \`SIEVE_HOSTS\`. Costly requests can be answered with 429 and \`Retry-After\`, or 503 \`busy\`.

A question mark stands behind what may be left out.

${groups.join("\n")}
## Problems

Any request may have ${COMMON_PROBLEMS.map(code).join(", ")}; one for a feed \`no-feed\`. What a plan, a file or a value has wrong with it comes as 422 with a code and words of its own.

| status | codes |
|---|---|
${statuses.map(([status, codes]) => `| ${status} | ${codes.map(code).join(", ")} |`).join("\n")}
`;
}
