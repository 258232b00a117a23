import type { Sender } from "@/store/senders.ts";
import { counted, grouped } from "../kit/words.ts";

const DAY_MS = 86_400_000;

type Owes = Pick<Sender, "held" | "withThem" | "since" | "daysToAnswer" | "overdue">;

/** What a sender owes, in words: what was handed over and has not come back. */
export function owesWords({ withThem, since, daysToAnswer, overdue }: Omit<Owes, "held">, now: Date): string {
  if (withThem === 0 || since === null) return "nothing";
  const days = Math.floor((now.getTime() - new Date(since).getTime()) / DAY_MS);
  const when = days === 0 ? "since today" : `for ${counted(days, "day")}`;
  const due = daysToAnswer === null ? "" : overdue ? `, due after ${daysToAnswer}` : ` of ${daysToAnswer}`;
  return `${counted(withThem, "record")} ${when}${due}`;
}

/** Of what is held of a sender, what it has not been told of. */
export const notHanded = ({ held, withThem }: Owes): number => held - withThem;

/** The share held of a sender's last loads together; null where none was read. */
export function shareHeld(loads: Sender["loads"]): number | null {
  const read = loads.reduce((n, l) => n + l.read, 0);
  return read === 0 ? null : loads.reduce((n, l) => n + l.held, 0) / read;
}

/** All that senders owe, for the head of their list. */
export function allOwed(senders: readonly Owes[]): string {
  const records = senders.reduce((n, s) => n + s.withThem, 0);
  const owing = senders.filter((s) => s.withThem > 0).length;
  if (owing === 0) return "Nobody has anything to send back.";
  const overdue = senders.filter((s) => s.overdue).length;
  return `${grouped(owing)} ${owing === 1 ? "has" : "have"} ${counted(records, "record")} to send back${overdue > 0 ? `; ${grouped(overdue)} ${overdue === 1 ? "is" : "are"} overdue` : ""}.`;
}

/** In which order the days of a file were read, in words, each with its field; none where the plan leaves nothing to be found out. */
export function dateOrders(evidence: Readonly<Record<string, string>>): string[] {
  const found = Object.entries(evidence).filter(([about]) => about.startsWith("order of "));
  return found.map(([, says]) => says.replace(/:.*$/s, ""));
}
