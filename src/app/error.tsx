"use client";

/** What is shown when a page can't be drawn. */
export default function ErrorPage({ reset }: { error: Error; reset: () => void }) {
  return (
    <div className="py-10">
      <h1>This page can’t be shown</h1>
      <p className="my-2">The store may be starting or out of reach. Nothing was changed.</p>
      <button type="button" className="btn btn-primary" onClick={reset}>
        Try again
      </button>
    </div>
  );
}
