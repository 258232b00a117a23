"use client";

import { useState } from "react";
import type { HeldGroup } from "@/store/held.ts";
import { Link } from "../kit/link.tsx";
import { withPath } from "../kit/with-path.ts";
import { counted } from "../kit/words.ts";
import type { DeskFilter, DeskQuery } from "./filter.ts";
import { SendToSenders } from "./send-to-senders.tsx";

/** Whose records these are, how many, and what is not among them. */
export function DeskHeading({
  filter,
  group,
  causes,
  again,
  total,
  overtaken,
  titles,
  query,
}: {
  filter: DeskFilter;
  group: HeldGroup;
  causes: number;
  /** Mends that were made more than once and that the plan could make. */
  again: number;
  total: number;
  overtaken: number;
  titles: Readonly<Record<string, string>>;
  query: DeskQuery;
}) {
  const [sending, setSending] = useState(false);
  const over = filter.state === "overtaken";
  const overtakenPage = `/quarantine?${query({ state: "overtaken", check: undefined })}`;
  return (
    <div>
      <p className="faint">
        {titles[filter.feed ?? group.feed]}
        {filter.sender !== undefined && (
          <>
            {" / "}
            {filter.sender === "" ? (
              "of whom nobody has said"
            ) : (
              <Link href={`/senders/${encodeURIComponent(filter.sender)}`}>{filter.sender}</Link>
            )}{" "}
            ·{" "}
            <Link className="underline" href={`/quarantine?${query({ sender: undefined, check: undefined })}`}>
              all senders
            </Link>
          </>
        )}
        {filter.load !== undefined && (
          <>
            {" / "}
            <Link href={`/loads/${filter.load}`}>load {filter.load}</Link> ·{" "}
            <Link className="underline" href="/quarantine">
              all loads
            </Link>
          </>
        )}
      </p>
      <h1>
        {counted(total, over ? "overtaken record" : "held record")}, {counted(causes, "cause")}
      </h1>
      {!over && (
        <p className="faint">
          <a className="underline" href={withPath(`/api/quarantine/senders?${query({ check: undefined })}`)}>
            all of them for their senders
          </a>
          , a file for each layout, with a letter to print
          {!sending && (
            <>
              {" · "}
              <button type="button" className="plain" onClick={() => setSending(true)}>
                send each what it does not have yet
              </button>
            </>
          )}
          {again > 0 && (
            <>
              {" · "}
              <Link className="underline" href={`/feeds/${group.feed}/plan?stage=Cleanse`}>
                {counted(again, "mend")}
              </Link>{" "}
              made again and again could be {again === 1 ? "a step" : "steps"}
            </>
          )}
        </p>
      )}
      {over ? (
        <p>
          Something newer has written their keys since they were held. Released, they would be written over it; both
          values are beside each other at the right.{" "}
          <Link className="underline" href={`/quarantine?${query({ state: undefined, check: undefined })}`}>
            What is held
          </Link>
        </p>
      ) : (
        overtaken > 0 && (
          <p className="faint">
            <Link className="underline" href={overtakenPage}>
              {counted(overtaken, "record")} overtaken
            </Link>{" "}
            by something newer {overtaken === 1 ? "is" : "are"} not among them
          </p>
        )
      )}
      {sending && <SendToSenders filter={filter} leave={() => setSending(false)} />}
    </div>
  );
}
