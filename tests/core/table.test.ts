import { describe, expect, it } from "vitest";
import { columnTakes, contractOfTable, type TableColumn, type TableRule } from "@/core/interop/table.ts";

const column = (name: string, type: string, more: Partial<TableColumn> = {}): TableColumn => ({
  name,
  type,
  notNull: false,
  filled: false,
  computed: false,
  labels: null,
  ...more,
});
const rule = (name: string, kind: TableRule["kind"], columns: string[], definition = ""): TableRule => ({
  name,
  kind,
  columns,
  definition,
});

describe("the contract of a table", () => {
  it("has its types, lengths, keys and rules", () => {
    const { fields, key, lost } = contractOfTable(
      [
        column("packet", "character varying(20)", { notNull: true }),
        column("seeds", "integer"),
        column("weight_g", "numeric(9,3)"),
        column("state", "text", { notNull: true, filled: true }),
        column("kind", "seed_kind", { labels: ["wild", "crop"] }),
        column("sealed_on", "date", { notNull: true }),
        column("Odd Name", "text"),
        column("shape", "point"),
        column("total", "bigint", { computed: true }),
        column("note", "text"),
        column("grid", "text"),
        column("_load", "integer"),
      ],
      [
        rule("packet_pkey", "primary", ["packet"]),
        rule("seeds_check", "check", ["seeds"], "CHECK ((seeds > 0))"),
        rule(
          "weight_check",
          "check",
          ["weight_g"],
          "CHECK (((weight_g >= ('-5'::integer)::numeric) AND (weight_g < 99.5)))",
        ),
        rule("state_check", "check", ["state"], "CHECK ((state = ANY (ARRAY['sealed'::text, 'isn''t'::text])))"),
        rule("note_check", "check", ["note"], "CHECK ((char_length(note) <= 40))"),
        rule("grid_check", "check", ["grid"], "CHECK ((grid ~ '^[A-Z]{2}$'::text))"),
        rule("both", "check", ["seeds", "weight_g"], "CHECK ((((seeds)::numeric * weight_g) < (10)::numeric))"),
        rule("note_key", "unique", ["note"]),
      ],
    );
    expect(key).toEqual(["packet"]);
    expect(fields).toEqual([
      { name: "packet", type: "text", length: 20, required: true },
      { name: "seeds", type: "integer", least: 1, most: 2147483647 },
      { name: "weight_g", type: "decimal", precision: 9, scale: 3, least: -5, most: 99.499 },
      { name: "state", type: "code", values: ["sealed", "isn't"] },
      { name: "kind", type: "code", values: ["wild", "crop"] },
      { name: "sealed_on", type: "date", formats: ["yyyy-MM-dd"], required: true },
      { name: "note", type: "text", length: 40, unique: true },
      { name: "grid", type: "text", length: 10_000, pattern: "^[A-Z]{2}$" },
    ]);
    expect(lost.map((l) => l.split(":")[0])).toEqual(["Odd Name", "shape", "total", "both"]);
  });

  it("says what a column takes", () => {
    const takes = (type: string, field: object): boolean =>
      columnTakes({ type, labels: null }, { name: "x", type: "text", ...field } as never);
    expect(takes("character varying(5)", { length: 5 })).toBe(true);
    expect(takes("character varying(5)", { length: 6 })).toBe(false);
    expect(takes("integer", { type: "integer" })).toBe(false);
    expect(takes("integer", { type: "integer", least: 0, most: 10 })).toBe(true);
    expect(takes("numeric(5,2)", { type: "decimal", precision: 5, scale: 3 })).toBe(false);
    expect(takes("numeric(5,2)", { type: "decimal", precision: 4, scale: 1 })).toBe(true);
    expect(takes("date", { type: "text", length: 1 })).toBe(false);
  });
});
