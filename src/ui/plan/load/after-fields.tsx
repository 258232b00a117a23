"use client";

import { useQuery } from "@tanstack/react-query";
import type { AfterAction } from "@/core/plan/after.ts";
import { LOAD_CONTENTS } from "@/core/write/files/contents.ts";
import { OUTPUT_IDS } from "@/core/write/records/index.ts";
import { listFeeds } from "@/routes/feeds.ts";
import { ask } from "../../kit/api.ts";
import { NEW_QUERY } from "./after-actions.ts";

type Of<Does extends AfterAction["do"]> = Extract<AfterAction, { do: Does }>;
/** Sets properties of an action; one that becomes undefined goes. */
type Put = (more: Partial<Record<string, unknown>>) => void;

/** What can be said of an action, by what it does. */
export function ActionFields({ feed, action, put }: { feed: string; action: AfterAction; put: Put }) {
  switch (action.do) {
    case "call":
      return <Call action={action} put={put} />;
    case "file":
      return (
        <>
          <TextField label="folder" name="folder" value={action.folder} wide="!w-48" must put={put} />
          <Files action={action} put={put} />
        </>
      );
    case "put":
      return <PutFiles action={action} put={put} />;
    case "feed":
      return <ToFeed own={feed} action={action} put={put} />;
    case "notice":
      return <LongField label="What the notice says" value={action.text} rows={2} set={(text) => put({ text })} />;
    case "sql":
      return <Statement action={action} put={put} />;
  }
}

/** A text of an action, taken when it is left; with `must` it can't be empty. */
function TextField({
  label,
  name,
  value,
  wide,
  must = false,
  put,
}: {
  label: string;
  name: string;
  value: string | undefined;
  wide: string;
  must?: boolean;
  put: Put;
}) {
  return (
    <label className="flex items-center gap-2">
      <span className="faint">{label}</span>
      <input
        className={`input input-sm font-mono ${wide}`}
        key={value}
        defaultValue={value}
        maxLength={1000}
        onBlur={(e) => {
          const given = e.target.value.trim();
          if (given === (value ?? "") || (must && given === "")) return;
          put({ [name]: given === "" ? undefined : given });
        }}
      />
    </label>
  );
}

/** The format of what goes out; `open` stands for one that is left open. */
function FormatChoice({ value, open, put }: { value: string | undefined; open?: string; put: Put }) {
  return (
    <label className="flex items-center gap-2">
      <span className="faint">as</span>
      <select
        className="select select-sm !w-44"
        value={value ?? ""}
        onChange={(e) => put({ format: e.target.value === "" ? undefined : e.target.value })}
      >
        {open !== undefined && <option value="">{open}</option>}
        {OUTPUT_IDS.map((id) => (
          <option key={id} value={id}>
            {id}
          </option>
        ))}
      </select>
    </label>
  );
}

const CONTENTS_LABEL: Record<(typeof LOAD_CONTENTS)[number], string> = {
  accepted: "what was accepted",
  changed: "what was new or changed",
  records: "all that it read",
  held: "what is held",
};

/** Of what and in what form files are written. */
function Files({ action, put }: { action: Of<"file"> | Of<"put">; put: Put }) {
  const { query } = action;
  return (
    <>
      <label className="flex items-center gap-2">
        <span className="faint">of</span>
        <select
          className="select select-sm !w-52"
          value={query ? "query" : (action.what ?? "accepted")}
          onChange={(e) => {
            const to = e.target.value;
            if (to === "query") put({ what: undefined, query: NEW_QUERY });
            else put({ what: to === "accepted" ? undefined : to, query: undefined });
          }}
        >
          {LOAD_CONTENTS.map((what) => (
            <option key={what} value={what}>
              {CONTENTS_LABEL[what]}
            </option>
          ))}
          <option value="query">what a query gives</option>
        </select>
      </label>
      {query && (
        <>
          <TextField
            label="on the connection"
            name="connection"
            value={query.connection}
            wide="!w-36"
            must
            put={(more) => put({ query: { ...query, ...more } })}
          />
          <SqlField label="Query" value={query.sql} set={(sql) => put({ query: { ...query, sql } })} />
        </>
      )}
      <FormatChoice value={action.format} put={put} />
      <TextField label="in folders by" name="partition" value={action.partition} wide="!w-56" put={put} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={action.gzip === true}
          onChange={(e) => put({ gzip: e.target.checked ? true : undefined })}
        />
        compressed
      </label>
    </>
  );
}

function Call({ action, put }: { action: Of<"call">; put: Put }) {
  return (
    <>
      <TextField label="address" name="url" value={action.url} wide="!w-80" must put={put} />
      <TextField
        label="signed with the connection"
        name="signed_with"
        value={action.signed_with}
        wide="!w-36"
        put={put}
      />
    </>
  );
}

function PutFiles({ action, put }: { action: Of<"put">; put: Put }) {
  return (
    <>
      <TextField label="below the address" name="url" value={action.url} wide="!w-80" must put={put} />
      <TextField label="by the connection" name="connection" value={action.connection} wide="!w-36" put={put} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={action.as === "object storage"}
          disabled={action.connection === undefined}
          onChange={(e) => put({ as: e.target.checked ? "object storage" : "basic" })}
        />
        an object storage: signed
      </label>
      <Files action={action} put={put} />
    </>
  );
}

function ToFeed({ own, action, put }: { own: string; action: Of<"feed">; put: Put }) {
  const { data } = useQuery({ queryKey: ["feeds"], queryFn: () => ask(listFeeds, {}) });
  const feeds = data?.feeds ?? [];
  return (
    <>
      <label className="flex items-center gap-2">
        <span className="faint">feed</span>
        <select className="select select-sm !w-56" value={action.feed} onChange={(e) => put({ feed: e.target.value })}>
          {!feeds.some((f) => f.name === action.feed) && <option value={action.feed}>{action.feed}</option>}
          {feeds
            .filter((f) => f.name !== own)
            .map((f) => (
              <option key={f.name} value={f.name}>
                {f.title}
              </option>
            ))}
        </select>
      </label>
      <label className="flex items-center gap-2">
        <span className="faint">of</span>
        <select
          className="select select-sm !w-52"
          value={action.what ?? "accepted"}
          onChange={(e) => put({ what: e.target.value === "changed" ? "changed" : undefined })}
        >
          <option value="accepted">{CONTENTS_LABEL.accepted}</option>
          <option value="changed">{CONTENTS_LABEL.changed}</option>
        </select>
      </label>
      <FormatChoice value={action.format} open="as that feed reads" put={put} />
    </>
  );
}

/** A statement or a query, as `LongField`. */
function SqlField({ label, value, set }: { label: string; value: string; set: (sql: string) => void }) {
  return <LongField label={label} value={value} rows={3} most={20_000} set={set} />;
}

/** A long text, taken when it is left; it can't be empty. */
function LongField({
  label,
  value,
  rows,
  most = 300,
  set,
}: {
  label: string;
  value: string;
  rows: number;
  most?: number;
  set: (text: string) => void;
}) {
  return (
    <textarea
      className="textarea textarea-sm w-full font-mono"
      aria-label={label}
      rows={rows}
      maxLength={most}
      key={value}
      defaultValue={value}
      onBlur={(e) => e.target.value.trim() !== "" && e.target.value !== value && set(e.target.value)}
    />
  );
}

function Statement({ action, put }: { action: Of<"sql">; put: Put }) {
  return (
    <>
      <TextField label="connection" name="connection" value={action.connection} wide="!w-36" must put={put} />
      <SqlField label="Statement" value={action.sql} set={(sql) => put({ sql })} />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={action.within === true}
          onChange={(e) => put({ within: e.target.checked ? true : undefined })}
        />
        committed together with the load: if it fails, nothing is loaded
      </label>
    </>
  );
}
