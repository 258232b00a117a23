/** A value as it is, with spaces at its ends and control characters made visible. */
export function Value({ text, mono = false }: { text: string; mono?: boolean }) {
  if (text === "") return null;
  const start = /^\s+/.exec(text)?.[0] ?? "";
  const end = start.length === text.length ? "" : (/\s+$/.exec(text)?.[0] ?? "");
  const middle = text.slice(start.length, text.length - end.length);
  return (
    <span className={mono ? "raw" : "whitespace-pre"}>
      <Dots text={start} />
      <Visible text={middle} />
      <Dots text={end} />
    </span>
  );
}

function Dots({ text }: { text: string }) {
  return text === "" ? null : (
    <span className="held" title={`${text.length} at the end`}>
      {text.replace(/\n|\r/g, "⏎").replace(/\t/g, "⇥").replace(/[^⏎⇥]/g, "·")}
    </span>
  );
}

function Visible({ text }: { text: string }) {
  return (
    <>
      {text
        .replace(/\r\n|\n|\r/g, "⏎")
        .replace(/\t/g, "⇥")
        .replace(/[\u0000-\u001f]/g, (c) => String.fromCharCode(0x2400 + c.charCodeAt(0)))}
    </>
  );
}
