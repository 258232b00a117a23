"use client";

/** One of several things, each with its words, or called by itself. */
export function Choice<T extends string>({
  id,
  label,
  value,
  options,
  none,
  set,
  small = false,
  width = "!w-48",
}: {
  /** Where the label stands elsewhere. */
  id?: string;
  label?: string;
  value: T;
  options: readonly (T | readonly [T, string])[];
  /** What it is called that it is none of them, which is the value "". */
  none?: string;
  set: (value: T) => void;
  small?: boolean;
  width?: string;
}) {
  const all = options.map((o) => (typeof o === "string" ? ([o, o] as const) : o));
  return (
    <select
      id={id}
      className={`select ${small ? "select-xs" : "select-sm"} ${width}`}
      aria-label={label}
      value={value}
      onChange={(e) => set(e.target.value as T)}
    >
      {none !== undefined && <option value="">{none}</option>}
      {!all.some(([v]) => v === value) && value !== "" && (
        <option value={value}>{all.length > 0 ? `${value} (not there)` : value}</option>
      )}
      {all.map(([v, words]) => (
        <option key={v} value={v}>
          {words}
        </option>
      ))}
    </select>
  );
}
