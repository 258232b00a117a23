import { useEffect } from "react";
import { isTyping } from "../shell/nav.tsx";
import { chosenOf } from "./desk.ts";
import type { HeldRows } from "./held-table.tsx";
import { idOf } from "./held.ts";
import type { DeskWork } from "./use-desk.ts";

/** The desk by keys alone. */
export function useDeskKeys({ desk, tell, passes, release }: DeskWork, { rows }: HeldRows): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector("dialog[open]")) return;
      if (event.key === "Escape" && isTyping(event.target)) {
        (event.target as HTMLElement).blur();
        return;
      }
      if (isTyping(event.target) || desk.records.length === 0) return;
      const open = desk.records[desk.at];
      const by = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15 }[event.key];
      if (by) {
        event.preventDefault();
        rows.scrollToIndex(Math.max(0, Math.min(desk.records.length - 1, desk.at + by)));
        tell({ does: "move", by });
      } else if (event.key === " " && open) {
        event.preventDefault();
        tell({ does: "pick", id: idOf(open) });
      } else if (event.key === "e") {
        event.preventDefault();
        document.querySelector<HTMLInputElement>("[data-mend-first]")?.focus();
      } else if (event.key === "r") {
        if (desk.picked.size > 0) void release(chosenOf(desk).filter(passes));
        else if (open && passes(open)) void release([open]);
      } else if (event.key === "x") {
        event.preventDefault();
        tell({ does: "open", what: "discard" });
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [desk, tell, passes, release, rows]);
}
