import type { ApiProblem } from "./api.ts";

/** An error where it happened: what is wrong, the facts, what to do. */
export function ProblemNote({ problem, children }: { problem: ApiProblem; children?: React.ReactNode }) {
  return (
    <div role="alert" className="my-2 border-l-4 border-[var(--plum)] bg-[var(--paper-bright)] px-3 py-2">
      <p className="held font-bold">{problem.title}</p>
      {problem.detail && <p className="break-words whitespace-pre-line">{problem.detail}</p>}
      {problem.hint && <p className="faint">{problem.hint}</p>}
      {children}
    </div>
  );
}
