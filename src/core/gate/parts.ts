import { controlTotals } from "./control-totals.ts";
import { distribution } from "./distribution.ts";
import { emptyAgainstHistory } from "./empty-against-history.ts";
import { emptyShare } from "./empty-share.ts";
import { meanAgainstHistory, sumAgainstHistory } from "./figure-against-history.ts";
import { freshness } from "./freshness.ts";
import { goneShare } from "./gone-share.ts";
import { heldShare } from "./held-share.ts";
import { loadedBefore } from "./loaded-before.ts";
import { nothingRead } from "./nothing-read.ts";
import { numberOfRecords } from "./number-of-records.ts";
import { recordsAgainstHistory } from "./records-against-history.ts";
import { requiredColumn } from "./required-column.ts";

/** Every gate, in the order in which an editor offers them: one line each. */
export const GATE_PARTS = [
  heldShare,
  nothingRead,
  loadedBefore,
  goneShare,
  requiredColumn,
  numberOfRecords,
  recordsAgainstHistory,
  emptyAgainstHistory,
  emptyShare,
  sumAgainstHistory,
  meanAgainstHistory,
  distribution,
  freshness,
  controlTotals,
] as const;
