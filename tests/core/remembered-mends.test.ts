import { describe, expect, it } from "vitest";
import { compilePlan } from "@/core/course/compile.ts";
import { recheck } from "@/core/course/recheck.ts";
import { mendsForSteps, withMends, type MendMade } from "@/core/mend/remembered.ts";
import { suggestMends } from "@/core/mend/suggest.ts";
import { parsePlan } from "@/core/plan/schema.ts";
import { planOf } from "../support/plans.ts";
import { csv, siftAll } from "../support/sift.ts";

const FIELDS = [
  { name: "id", type: "text" },
  { name: "land", type: "code", values: ["Norway", "Sweden"] },
  { name: "site", type: "text", length: 20 },
];
const plan = (more: Record<string, unknown> = {}) => planOf(FIELDS, { load: { target: "t", key: ["id"] }, ...more });
const mend = (field: string, from: string, to: string, times = 2): MendMade => ({
  field,
  from,
  to,
  times,
  records: 5,
  loads: 2,
});
const kept = (of: ReturnType<typeof plan>, ...made: MendMade[]) => mendsForSteps(of, made).map((m) => m.from);

describe("mends that a step could make", () => {
  it("are those that were made more than once, always in one way", () => {
    expect(kept(plan(), mend("site", "Fen Holow", "Fen Hollow"))).toEqual(["Fen Holow"]);
    expect(kept(plan(), mend("site", "Fen Holow", "Fen Hollow", 1))).toEqual([]);
    expect(kept(plan(), mend("site", "a", "b"), mend("site", "a", "c", 1))).toEqual([]);
  });

  it("are not looked for where there are none, whatever a plan is like that somebody is typing", () => {
    const typed = { ...plan(), cleanse: [{ do: "leave-out" as const, in: "*" as const, when: "id ==" }] };
    expect(kept(typed, mend("site", "a", "b", 1))).toEqual([]);
    expect(() => kept(typed, mend("site", "a", "b"))).toThrow();
  });

  it("are none of the key, of nothing, or of fields that are there no more", () => {
    expect(
      kept(plan(), mend("id", "x", "y"), mend("site", "", "y"), mend("site", "x", ""), mend("gone", "x", "y")),
    ).toEqual([]);
  });

  it("leave a value alone that others are mended to", () => {
    expect(kept(plan(), mend("site", "a", "b"), mend("site", "b", "a"))).toEqual([]);
    expect(kept(plan(), mend("site", "a", "b"), mend("site", "b", "c"))).toEqual(["a"]);
  });

  it("come to a value that the checks let pass", () => {
    expect(kept(plan(), mend("land", "Norge", "Norway"), mend("land", "Noreg", "Norge"))).toEqual([]);
    expect(kept(plan(), mend("land", "Noreg", "Norway"), mend("land", "Dania", "Denmark"))).toEqual(["Noreg"]);
    expect(kept(plan(), mend("site", "x", "a name that is far too long for it"))).toEqual([]);
  });

  it("are not those that the plan makes already", () => {
    const made = plan({ cleanse: [{ do: "value-map", in: ["land"], to: { Norway: ["Noreg"] } }] });
    expect(kept(made, mend("land", "Noreg", "Norway"), mend("land", "Norga", "Norway"))).toEqual(["Norga"]);
  });
});

describe("steps that make them", () => {
  const two = [mend("land", "Noreg", "Norway"), mend("land", "Norga", "Norway"), mend("site", "Fen", "Fen Hollow")];

  it("stand at the end, a value map for each field, and make what people made", async () => {
    const own = plan({ cleanse: [{ do: "case", in: ["site"], to: "name" }] });
    const next = parsePlan(withMends(own, two));
    expect(next.cleanse.slice(1)).toEqual([
      { do: "value-map", in: ["land"], to: { Norway: ["Noreg", "Norga"] }, same: "exactly" },
      { do: "value-map", in: ["site"], to: { "Fen Hollow": ["Fen"] }, same: "exactly" },
    ]);
    expect(own.cleanse).toHaveLength(1);
    const { records } = await siftAll(next, [csv("id,land,site\n1,Noreg,fen\n2,Norga,fen bank\n3,Sweden,\n")]);
    expect(records.map((r) => [r.held, ...r.values.slice(1)])).toEqual([
      [false, "Norway", "Fen Hollow"],
      [false, "Norway", "Fen Bank"],
      [false, "Sweden", ""],
    ]);
    expect(mendsForSteps(next, two)).toEqual([]);
  });

  it("are put into the map that stands there for the field, where nothing behind it touches it", () => {
    const map = { do: "value-map", in: ["land"], to: { Norway: ["Noreg"] }, same: "exactly" };
    const into = (...cleanse: object[]) => withMends(plan({ cleanse }), [mend("land", "Norga", "Norway")]).cleanse;
    expect(into(map)).toEqual([{ ...map, to: { Norway: ["Noreg", "Norga"] } }]);
    expect(into(map, { do: "trim", in: ["site"] })).toHaveLength(2);
    expect(into(map, { do: "trim", in: ["land"] })).toHaveLength(3);
    expect(into(map, { do: "trim", in: "*" })).toHaveLength(3);
    expect(into({ ...map, same: "but for case and spaces" })).toHaveLength(2);
    expect(into({ ...map, off: true })).toHaveLength(2);
    expect(into({ ...map, otherwise: "empty" })).toHaveLength(2);
    expect(into({ ...map, in: ["land", "site"] })).toHaveLength(2);
  });
});

describe("a value that was mended before", () => {
  it("is suggested to be mended so again, before all that it merely looks like", () => {
    const compiled = compilePlan(plan());
    const held = ["Norwya", "Atlantis"].map((land, i) => {
      const values = [`k${i}`, land, ""];
      return { id: `1:${i}`, load: 1, values, problems: recheck(compiled, values).problems };
    });
    const said = (...made: MendMade[]) =>
      suggestMends(compiled, "land:type", held, { made }).map(
        (m) => `${m.sets[0].from} → ${m.sets[0].to}: ${m.because}`,
      );
    expect(said()).toEqual(["Norwya → Norway: one letter away"]);
    expect(said(mend("land", "Norwya", "Sweden", 1), mend("land", "Atlantis", "Norway"))).toEqual([
      "Atlantis → Norway: mended so in 5 records before",
      "Norwya → Sweden: mended so in 5 records before",
    ]);
    // Two ways say nothing; what the checks refuse is not said.
    expect(said(mend("land", "Atlantis", "Norway"), mend("land", "Atlantis", "Sweden"))).toHaveLength(1);
    expect(said(mend("land", "Atlantis", "Mu"))).toHaveLength(1);
  });
});
