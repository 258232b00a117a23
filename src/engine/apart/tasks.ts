import type { LookUp } from "@/core/lookup/schema.ts";
import type { Plan, ReadSection } from "@/core/plan/document.ts";
import type { ReadSettings } from "@/core/read/settings.ts";
import type { Db } from "@/store/db.ts";
import type { WorkAt } from "./work-at.ts";
import type { OnRead } from "@/store/deliveries.ts";
import { getPlan, planInForce } from "@/store/feeds.ts";
import { deliveryLists } from "../load/delivery-lists.ts";
import { deliveryValues } from "../look/delivery-values.ts";
import { findInDelivery, type CellFilter } from "../look/delivery-records.ts";
import { lifeOf } from "../look/life.ts";
import { proposedLookUp } from "../look/propose-look-up.ts";
import { previewDelivery } from "../look/preview.ts";
import { readEntriesAt } from "../look/read-list.ts";
import { findRecords, type RecordFilter } from "../look/records.ts";
import type { HeldFilter } from "@/store/held.ts";
import { outSettings } from "../out/out-settings.ts";
import { sendToSenders } from "../out/send-to-senders.ts";
import { findAlike } from "../release/alike.ts";
import { releaseAll, type BulkMend } from "../release/release-all.ts";
import { releaseRecords } from "../release/release.ts";
import type { Mend, ReleaseOptions } from "../release/released.ts";
import { runProfile } from "../jobs/run-profile.ts";
import { sampleDelivery } from "../look/sample.ts";
import { previewUndo, type UndoRowFilter } from "../undo/preview.ts";
import { undoLoad, undoWriting } from "../undo/undo.ts";
import type { OverChanged } from "../undo/rows.ts";

/** What is done in a process of its own: by name, from an input that can be passed on to a result that can. */
export const TASKS = {
  preview: (db: Db, i: { delivery: number; read: ReadSettings; most?: number | undefined }, onRead: OnRead) =>
    previewDelivery(db, i.delivery, i.read, i.most, onRead),
  sample: async (
    db: Db,
    i: { feed: string; delivery: number; read: ReadSection; size: number; following: boolean },
    onRead: OnRead,
  ) => sampleDelivery(db, i.delivery, (await planInForce(db, i.feed)).document, i.read, i.size, i.following, onRead),
  "values of a delivery": (db: Db, i: { delivery: number; plan: Plan; field: string; steps: number }, onRead: OnRead) =>
    deliveryValues(db, i.delivery, i.plan, i.field, i.steps, onRead),
  "proposal of a look-up": (db: Db, i: { delivery: number; plan: Plan; lookUp: LookUp }, onRead: OnRead) =>
    proposedLookUp(db, i.delivery, i.plan, i.lookUp, onRead),
  "records of a delivery": (
    db: Db,
    i: { delivery: number; read: ReadSettings; filter: CellFilter; from: number; limit: number },
    onRead: OnRead,
  ) => findInDelivery(db, i.delivery, i.read, i.filter, i.from, i.limit, onRead),
  "records of a load": (db: Db, i: { load: number; filter: RecordFilter; from: number; limit: number }) =>
    findRecords(db, i.load, i.filter, i.from, i.limit),
  "life of a record": (db: Db, i: { load: number; record: number }) => lifeOf(db, i.load, i.record),
  "entries of a file": (_: Db, i: { path: string; name: string }) => readEntriesAt(i.path, i.name),
  "lists of a delivery": async (db: Db, i: { delivery: number; plan: number }) => [
    ...(await deliveryLists(db, i.delivery, (await getPlan(db, i.plan)).document)),
  ],
  profile: (db: Db, i: { profile: number }, onRead: OnRead) => runProfile(db, i.profile, onRead),
  release: (db: Db, i: { mends: readonly Mend[]; by: string; options: ReleaseOptions }) =>
    releaseRecords(db, i.mends, i.by, i.options),
  "release of all": (
    db: Db,
    i: { filter: HeldFilter & { feed: string }; mend: BulkMend; by: string; preview: boolean },
    _: OnRead,
    onWork?: (at: WorkAt) => void,
  ) => releaseAll(db, i.filter, { ...i, onWork }),
  "sending to senders": (db: Db, i: { filter: HeldFilter; by: string }) =>
    sendToSenders(db, i.filter, i.by, outSettings(process.env)),
  "held records in a load": (db: Db, i: { load: number }) => findAlike(db, i.load),
  undo: (db: Db, i: { writing: number; reason: string; by: string; over: OverChanged }) =>
    undoWriting(db, i.writing, i),
  "undo of a load": (db: Db, i: { load: number; reason: string; by: string; over: OverChanged }) =>
    undoLoad(db, i.load, i.reason, i.by, i.over),
  "preview of an undo": (db: Db, i: { writing: number; filter: UndoRowFilter }) => previewUndo(db, i.writing, i.filter),
} as const;

export type TaskName = keyof typeof TASKS;
export type TaskInput<K extends TaskName> = Parameters<(typeof TASKS)[K]>[1];
export type TaskOutput<K extends TaskName> = Awaited<ReturnType<(typeof TASKS)[K]>>;
