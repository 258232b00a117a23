import { listFormulas } from "@/store/formulas.ts";
import { FormulaDesk } from "@/ui/formulas/formula-desk.tsx";
import { db } from "../../server.ts";

export const metadata = { title: "Formulas" };

export default async function FormulasPage({ searchParams }: { searchParams: Promise<{ name?: string }> }) {
  const { name } = await searchParams;
  return <FormulaDesk key={name ?? ""} formulas={await listFormulas(db())} name={name ?? null} />;
}
