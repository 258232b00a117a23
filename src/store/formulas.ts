import { FORMULA_LOCK } from "./locks.ts";
import { listsIn } from "@/core/formula/lists.ts";
import type { Reference } from "@/core/kernel/reference.ts";
import { readReference } from "./references.ts";
import type { NamedFormula, NamedFormulas } from "@/core/formula/named.ts";
import { tryNamed } from "@/core/formula/try-named.ts";
import type { Plan } from "@/core/plan/document.ts";
import { SieveError } from "@/core/kernel/problem.ts";
import { transaction, type Db, type Queryable } from "./db.ts";

/** A named formula at one of its versions. */
export interface StoredFormula {
  name: string;
  version: number;
  document: NamedFormula;
  note: string;
  madeBy: string;
  madeAt: Date;
}

const FORMULA = `name, version, document, note, made_by as "madeBy", made_at as "madeAt"`;

/** The newest version of each. */
export async function listFormulas(db: Queryable): Promise<StoredFormula[]> {
  const { rows } = await db.query<StoredFormula>(
    `select distinct on (name) ${FORMULA} from sieve.formula order by name, version desc`,
  );
  return rows;
}

export async function formulaVersions(db: Queryable, name: string): Promise<StoredFormula[]> {
  const { rows } = await db.query<StoredFormula>(
    `select ${FORMULA} from sieve.formula where name = $1 order by version desc`,
    [name],
  );
  return rows;
}

/** All of them, as formulas use them. */
export async function namedFormulas(db: Queryable): Promise<NamedFormulas> {
  return Object.fromEntries((await listFormulas(db)).map((f) => [f.name, f.document]));
}

/** Plans in force that use a named formula, themselves or through another. */
export async function plansUsing(
  db: Queryable,
  name: string,
): Promise<{ feed: string; title: string; version: number; document: Plan }[]> {
  const { rows } = await db.query<{ feed: string; title: string; version: number; document: Plan }>(
    `select f.name as feed, f.title, p.version, p.document from sieve.feed f
     join lateral (select version, document from sieve.plan p where p.feed = f.name and version is not null
       order by version desc limit 1) p on true
     where p.document->'formulas' ? $1 order by f.title`,
    [name],
  );
  return rows;
}

/**
 * Saves the next version of a named formula. Throws `formula-invalid` where it can't be used or an
 * example does not hold, `formula-moved` when somebody has changed it since.
 */
export async function saveFormula(
  db: Db,
  name: string,
  from: number,
  document: NamedFormula,
  note: string,
  by: string,
): Promise<number> {
  return await transaction(db, async (client) => {
    await client.query("select pg_advisory_xact_lock($1, hashtext($2))", [FORMULA_LOCK, name]);
    const { [name]: _, ...others } = await namedFormulas(client);
    const asked = [document.body, ...(document.examples ?? []).map((e) => e.formula)];
    const lists = new Map<string, Reference>();
    for (const list of new Set(asked.flatMap((source) => listsIn(source, { ...others, [name]: document })))) {
      lists.set(list, await readReference(client, list));
    }
    const { examples } = tryNamed(name, document, others, lists);
    const bad = examples.find((e) => !e.holds);
    if (bad) {
      throw new SieveError("formula-invalid", `The example ${bad.formula} does not hold.`, {
        detail: bad.fault ?? `It gives ${JSON.stringify(bad.gives)}.`,
        hint: "Mend the formula or the example.",
      });
    }
    const [newest] = await formulaVersions(client, name);
    if ((newest?.version ?? 0) !== from) {
      throw new SieveError("formula-moved", `${name} is at version ${newest?.version ?? 0} by now, not ${from}.`, {
        hint: "Look at it again, and make the change once more.",
      });
    }
    await client.query(
      "insert into sieve.formula (name, version, document, note, made_by) values ($1, $2, $3, $4, $5)",
      [name, from + 1, JSON.stringify(document), note, by],
    );
    return from + 1;
  });
}
