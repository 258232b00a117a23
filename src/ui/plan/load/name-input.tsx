/** A name of the database, or none: taken when it is left, where it can be one. */
export function NameInput({ value, set }: { value: string | undefined; set: (name: string | undefined) => void }) {
  return (
    <input
      className="input input-sm !w-40 text-sm"
      key={value}
      defaultValue={value}
      placeholder="none"
      pattern="[a-z][a-z0-9_]*"
      onBlur={(e) => {
        const name = e.target.value.trim();
        if (name !== (value ?? "") && e.target.validity.valid) set(name === "" ? undefined : name);
      }}
    />
  );
}
