import { describe, expect, it, vi } from "vitest";
import { cellText } from "@/core/kernel/bytes.ts";
import type { FigurePart } from "@/core/report/figures/part.ts";

/** A figure is one file and one line of the list: it is counted over a load, stands on its report, and gates can ask for it. */

const yes: FigurePart = {
  id: "yes",
  of: ({ type }) => type === "boolean",
  fold() {
    let many = 0;
    return {
      take(heap, cells, r) {
        if (cellText(heap, cells, r) === "t") many++;
      },
      finish: (count) => ({ yes: many / count }),
    };
  },
};

vi.mock("@/core/report/figures/parts.ts", async (original) => {
  const { FIGURE_PARTS } = await original<typeof import("@/core/report/figures/parts.ts")>();
  return { FIGURE_PARTS: [yes, ...FIGURE_PARTS] };
});
vi.mock("@/core/gate/parts.ts", async (original) => {
  const { GATE_PARTS } = await original<typeof import("@/core/gate/parts.ts")>();
  const { gatePart } = await import("@/core/gate/part.ts");
  const { z } = await import("zod");
  const mostly = gatePart({
    id: "mostly yes",
    title: "mostly yes",
    about: "Fewer than half that are yes stop the load.",
    options: { field: z.string() },
    sentence: "{field} is mostly no",
    controls: { field: "field" },
    types: ["boolean", "text"],
    figures: true,
    begin: (field) => ({ field }),
    judge: ({ field }, { figures }) => {
      const share = figures.find((f) => f.field === field)?.["yes"] as number | undefined;
      const words = share === undefined ? "none" : `${Math.floor(share * 100)} %`;
      return { passed: share !== undefined && share >= 0.5, message: `${words} are yes.` };
    },
    examples: [],
  });
  return { GATE_PARTS: [...GATE_PARTS, mostly] };
});

const { siftAll, csv } = await import("../support/sift.ts");
const { planOf } = await import("../support/plans.ts");

const plan = planOf(
  [
    { name: "n", type: "integer" },
    { name: "alive", type: "boolean" },
    { name: "place", type: "text" },
  ],
  {
    gates: [
      { limit: "mostly yes", field: "alive" },
      { limit: "mostly yes", field: "place" },
    ],
  },
);

describe("a figure that was added", () => {
  it("is made of the sound values of the fields whose type it is of, and stands on the report", async () => {
    const { report } = await siftAll(plan, [csv("n,alive,place\n1,yes,Fen\n2,no,Fen\n3,no,\n4,no,Hollow\nx,maybe,\n")]);
    expect(report.figures).toEqual([
      { field: "alive", count: 4, yes: 0.25 },
      {
        field: "place",
        count: 3,
        shares: [
          ["Fen", 2 / 3],
          ["Hollow", 1 / 3],
        ],
      },
    ]);
  });
  it("can be asked for by a gate", async () => {
    const { report } = await siftAll(plan, [csv("n,alive,place\n1,yes,Fen\n2,no,Fen\n3,no,\n")]);
    expect(report.gates.map((g) => g.message)).toEqual(["33 % are yes.", "none are yes."]);
    expect(report.gates.map((g) => g.passed)).toEqual([false, false]);
  });
});
