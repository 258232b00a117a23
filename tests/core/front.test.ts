import { describe, expect, it } from "vitest";
import { Rate, hostsOf, policyOf, refusalOf, type Asked } from "@/web/front.ts";

const HOSTS = hostsOf({});
const OWN = { host: "127.0.0.1:4310", origin: "http://127.0.0.1:4310", "sec-fetch-site": "same-origin" };
const ask = (method: string, headers: Asked["headers"], hosts = HOSTS) =>
  refusalOf({ method, url: "/api/feeds", headers }, hosts)?.code ?? "let in";

describe("who may ask", () => {
  it("answers to its own names alone, at any port", () => {
    for (const host of ["127.0.0.1:4310", "localhost", "LOCALHOST:80", "[::1]:4310"]) {
      expect(ask("GET", { host })).toBe("let in");
    }
    for (const host of [
      "seeds.example:4310",
      "127.0.0.1.seeds.example",
      "localhost.seeds.example:4310",
      "",
      undefined,
      "127.0.0.1:4310@seeds.example",
    ]) {
      expect(ask("GET", { host })).toBe("unknown-host");
    }
  });

  it("takes its names from SIEVE_HOSTS; one with a port is that port alone", () => {
    const hosts = hostsOf({ SIEVE_HOSTS: "sieve.ashmere.example, seeds:8443" });
    expect(ask("GET", { host: "sieve.ashmere.example:443" }, hosts)).toBe("let in");
    expect(ask("GET", { host: "seeds:8443" }, hosts)).toBe("let in");
    expect(ask("GET", { host: "seeds:80" }, hosts)).toBe("unknown-host");
    expect(ask("GET", { host: "localhost" }, hosts)).toBe("unknown-host");
    expect(refusalOf({ method: "GET", url: "/", headers: { host: "x" } }, hosts)).toMatchObject({
      status: 421,
      detail: "It answers to sieve.ashmere.example, seeds:8443.",
      hint: expect.stringContaining("SIEVE_HOSTS"),
    });
  });

  it.each(["POST", "PUT", "DELETE", "PATCH"])("%s needs both headers, and both must be our own", (method) => {
    expect(ask(method, OWN)).toBe("let in");
    expect(ask(method, { ...OWN, origin: undefined })).toBe("not-allowed");
    expect(ask(method, { ...OWN, "sec-fetch-site": undefined })).toBe("not-allowed");
    for (const origin of [
      "http://seeds.example",
      "null",
      "http://127.0.0.1:4311",
      "http://127.0.0.1",
      "http://127.0.0.1:4310.seeds.example",
      "nonsense",
    ]) {
      expect(ask(method, { ...OWN, origin })).toBe("not-allowed");
    }
    for (const site of ["cross-site", "same-site", "none"]) {
      expect(ask(method, { ...OWN, "sec-fetch-site": site })).toBe("not-allowed");
    }
  });

  it("a page of another site can open a page here, and read nothing", () => {
    const from = { host: "127.0.0.1:4310", "sec-fetch-site": "cross-site" };
    expect(ask("GET", { ...from, "sec-fetch-mode": "navigate", "sec-fetch-dest": "document" })).toBe("let in");
    expect(ask("GET", { ...from, "sec-fetch-mode": "navigate", "sec-fetch-dest": "iframe" })).toBe("not-allowed");
    expect(ask("GET", { ...from, "sec-fetch-mode": "cors", "sec-fetch-dest": "empty" })).toBe("not-allowed");
    expect(ask("GET", { ...from, "sec-fetch-mode": "no-cors", "sec-fetch-dest": "image" })).toBe("not-allowed");
  });
});

describe("how often", () => {
  it("what costs much is done so often at once, and then so often a second; the rest as often as it is asked", () => {
    const rate = new Rate();
    const costly = { method: "POST", url: "/api/feeds/a/sample?x=1" };
    const ends = Array.from({ length: 100 }, () => rate.refusal(costly, "a", 0));
    expect(ends.filter((e) => e === null)).toHaveLength(60);
    expect(ends.at(-1)).toMatchObject({ status: 429, retryAfter: 1 });
    expect(rate.refusal(costly, "another", 0)).toBeNull();
    expect(rate.refusal({ method: "GET", url: "/api/feeds" }, "a", 0)).toBeNull();
    expect(Array.from({ length: 20 }, () => rate.refusal(costly, "a", 2000)).filter((e) => e === null)).toHaveLength(
      10,
    );
  });
});

it("the policy lets in nothing that stands in the page itself without its nonce", () => {
  const policy = policyOf("abc");
  expect(policy).not.toContain("unsafe");
  expect(policy).toContain("script-src 'self' 'nonce-abc'");
  expect(policy).toContain("style-src 'self' 'nonce-abc'");
  expect(policy).toContain("frame-ancestors 'none'");
});
