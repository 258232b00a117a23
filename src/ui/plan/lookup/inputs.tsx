"use client";

/** A number from 0 to 100; where it may be left open, empty says so. */
export function NumberInput({
  label,
  value,
  set,
  open,
}: {
  label: string;
  value: number | undefined;
  set: (n: number | undefined) => void;
  /** What stands for one that is left open. */
  open?: string;
}) {
  return (
    <input
      className={`input input-sm text-right tabular-nums ${open === undefined ? "!w-16" : "!w-24"}`}
      aria-label={label}
      inputMode="decimal"
      key={value}
      defaultValue={value}
      placeholder={open}
      onBlur={(e) => {
        const text = e.target.value.trim();
        if (text === "") {
          if (open !== undefined && value !== undefined) set(undefined);
          return;
        }
        const n = Number(text);
        if (Number.isFinite(n) && n >= 0 && n <= 100 && n !== value) set(n);
      }}
    />
  );
}
