import { Link } from "../kit/link.tsx";
import { counted } from "../kit/words.ts";
import type { DeskFilter, DeskQuery } from "./filter.ts";

/** The page where no record is held, or overtaken. */
export function NothingHeld({
  filter,
  overtaken,
  query,
  said,
}: {
  filter: DeskFilter;
  overtaken: number;
  query: DeskQuery;
  /** What was done last. */
  said: string | null;
}) {
  const over = filter.state === "overtaken";
  return (
    <>
      <h1>
        {over
          ? "Nothing is overtaken"
          : filter.load
            ? `Nothing of load ${filter.load} is held`
            : filter.sender
              ? `Nothing of ${filter.sender} is held`
              : "The quarantine is empty"}
      </h1>
      <p className="my-2">
        Records that fail a check will be here, each with what is wrong, until they are mended and released, or
        discarded with a reason.
      </p>
      {said !== null && <p>{said}</p>}
      {overtaken > 0 && !over && (
        <p>
          <Link className="underline" href={`/quarantine?${query({ state: "overtaken", check: undefined })}`}>
            {counted(overtaken, "record")} overtaken
          </Link>{" "}
          by something newer.
        </p>
      )}
      {over && (
        <Link className="plain mr-4" href={`/quarantine?${query({ state: undefined, check: undefined })}`}>
          What is held
        </Link>
      )}
      {filter.load !== undefined && (
        <Link className="plain" href={`/loads/${filter.load}`}>
          Back to load {filter.load}
        </Link>
      )}
    </>
  );
}
