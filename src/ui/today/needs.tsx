import type { HeldGroup } from "@/store/held.ts";
import type { LoadRow } from "@/store/loads.ts";
import { Link } from "../kit/link.tsx";
import { counted, grouped } from "../kit/words.ts";

/** The four things that wait for a person: stopped loads, held records, pairs to decide, failed loads. */
export function Needs({
  loads,
  ages,
  groups,
  pairs,
}: {
  loads: readonly LoadRow[];
  ages: { readonly today: number; readonly week: number; readonly older: number; readonly oldestDays: number };
  groups: readonly HeldGroup[];
  pairs: { readonly open: number; readonly records: number };
}) {
  const stopped = loads.filter((l) => l.state === "stopped");
  const failed = loads.filter((l) => l.state === "failed");
  const balanced = loads.filter((l) => l.read !== null).length;
  const heldNow = ages.today + ages.week + ages.older;
  const [top] = groups;
  return (
    <section
      aria-label="What needs you"
      className="grid grid-cols-1 divide-x divide-[var(--rule)] border-b border-[var(--rule)] md:grid-cols-2 xl:grid-cols-4"
    >
      <Need
        title={stopped.length === 0 ? "No load stopped" : `${counted(stopped.length, "load")} stopped at a gate`}
        on={stopped.length > 0}
        text={
          stopped[0]
            ? `${stopped[0].feedTitle}, ${stopped[0].sender || stopped[0].files.join(", ")}: ${stopped[0].closedGates.join(" ")} Nothing was written.`
            : "Every gate was passed."
        }
        {...(stopped[0] ? { href: `/loads/${stopped[0].id}`, action: "Look and decide" } : {})}
      />
      <Need
        title={
          heldNow === 0
            ? "No record is held"
            : `${grouped(heldNow)} held, oldest ${ages.oldestDays === 0 ? "today" : counted(ages.oldestDays, "day")}`
        }
        on={heldNow > 0}
        text={
          top
            ? `${grouped(top.count)} share one cause: ${top.fault}. ${counted(groups.length, "cause")} in all.`
            : "The quarantine is empty."
        }
        {...(heldNow > 0 ? { href: "/quarantine", action: "Work through" } : {})}
      />
      <Need
        title={pairs.open === 0 ? "No pair to decide" : `${counted(pairs.open, "pair")} to decide`}
        on={pairs.open > 0}
        text={
          pairs.open > 0
            ? `${counted(pairs.records, "record")} ${pairs.records === 1 ? "waits" : "wait"} until somebody says which are the same.`
            : "No record waits for a decision."
        }
        {...(pairs.open > 0 ? { href: "/matches", action: "Decide" } : {})}
      />
      <Need
        title={failed.length === 0 ? "No load failed" : `${counted(failed.length, "load")} failed`}
        on={failed.length > 0}
        text={failed[0] ? (failed[0].error?.message ?? "") : `${counted(balanced, "load")} came to a balance.`}
        {...(failed[0] ? { href: `/loads/${failed[0].id}`, action: "See why" } : {})}
      />
    </section>
  );
}

function Need({
  title,
  text,
  href,
  action,
  on,
}: {
  title: string;
  text: string;
  href?: string;
  action?: string;
  on: boolean;
}) {
  return (
    <div className="px-3 py-2 md:max-xl:even:border-r-0">
      <p className={`font-bold ${on ? "held" : "faint"}`}>{title}</p>
      <p className="line-clamp-3 text-[0.93rem]">{text}</p>
      {href && (
        <Link className="plain" href={href}>
          {action}
        </Link>
      )}
    </div>
  );
}
