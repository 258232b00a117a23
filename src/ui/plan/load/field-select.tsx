"use client";

/** Chooses one of some fields, by which something is added. */
export function FieldSelect({
  label,
  first,
  names,
  choose,
}: {
  label: string;
  first: string;
  names: readonly string[];
  choose: (name: string) => void;
}) {
  return (
    <select
      aria-label={label}
      className="select select-xs !w-44 text-sm"
      value=""
      onChange={(e) => e.target.value !== "" && choose(e.target.value)}
    >
      <option value="">{first}</option>
      {names.map((name) => (
        <option key={name}>{name}</option>
      ))}
    </select>
  );
}
