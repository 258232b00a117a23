import { notFound as missing } from "next/navigation";
import { SieveError } from "@/core/kernel/problem.ts";
import { getReference, notFound, proposals, referenceVersions, searchEntries, whereUsed } from "@/store/references.ts";
import { ReferenceDesk } from "@/ui/references/reference-desk.tsx";
import { db } from "../../server.ts";

export async function generateMetadata({ params }: { params: Promise<{ list: string }> }) {
  return { title: (await params).list };
}

export default async function ReferencePage({ params }: { params: Promise<{ list: string }> }) {
  const { list } = await params;
  const info = await getReference(db(), list).catch((error: unknown) => {
    if (error instanceof SieveError) missing();
    throw error;
  });
  const [versions, used, first, asked, proposed] = await Promise.all([
    referenceVersions(db(), list),
    whereUsed(db(), list),
    searchEntries(db(), list, "", 200),
    notFound(db(), list, 40),
    proposals(db(), list, 40),
  ]);
  return (
    <ReferenceDesk
      key={info.version}
      info={info}
      versions={versions}
      used={used}
      first={first}
      asked={asked}
      proposed={proposed}
      now={new Date().toISOString()}
    />
  );
}
