import { byText, type StepPart } from "./part.ts";

/** A web address as the URL Standard (WHATWG) writes it, or null for what is none. */
function addressOf(text: string): string | null {
  const bare = text.trim();
  if (bare === "" || /\s/.test(bare) || bare.length > 4000) return null;
  const whole = /^[a-z][a-z0-9+.-]*:/i.test(bare) ? bare : `https://${bare.replace(/^\/\//, "")}`;
  try {
    const url = new URL(whole);
    if ((url.protocol !== "http:" && url.protocol !== "https:") || !/^[^.]+(\.[^.]+)+\.?$|^\[/.test(url.hostname))
      return null;
    // A path of nothing says no more than none.
    return url.pathname === "/" && url.search === "" && url.hash === "" ? url.href.replace(/\/$/, "") : url.href;
  } catch {
    return null;
  }
}

export const webAddress: StepPart<object> = {
  id: "web-address",
  title: "Web addresses",
  about: "Writes a web address as the URL Standard does: with https:// where none is said, its host in small letters.",
  options: {},
  words: () => "web addresses in their standard form",
  apply: () => byText((text) => addressOf(text) ?? text),
  examples: [
    { options: {}, from: " HTTP://Ashmere.EXAMPLE/Seeds ", to: "http://ashmere.example/Seeds" },
    { options: {}, from: "www.ashmere.example", to: "https://www.ashmere.example" },
    { options: {}, from: "https://ashmere.example:443/a/../b?q=1", to: "https://ashmere.example/b?q=1" },
    { options: {}, from: "javascript:alert(1)", to: "javascript:alert(1)" },
    { options: {}, from: "no page", to: "no page" },
    { options: {}, from: "ashmere", to: "ashmere" },
  ],
};
