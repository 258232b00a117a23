import { X } from "lucide-react";

/** Takes a line of a list away. `label`: what is taken away, in words. */
export function TakeAway({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button type="button" className="btn btn-ghost btn-xs" aria-label={label} onClick={onClick}>
      <X size={14} aria-hidden />
    </button>
  );
}
