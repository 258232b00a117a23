import { describe, expect, it } from "vitest";
import { Rate, askerOf, hostsOf, pathOf, policyOf, proxiesOf, refusalOf, subjectOf, type Asked } from "@/web/front.ts";

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

  it("lets no NUL character in, in a path or behind it, which no text can have", () => {
    const at = (url: string) => refusalOf({ method: "GET", url, headers: OWN }, HOSTS)?.status ?? "let in";
    expect(["/senders/%00", "/quarantine?sender=a%00b", "/api/loads/%00"].map(at)).toEqual([400, 400, 400]);
    expect(["/senders/100%25", "/find?value=%2500", "/"].map(at)).toEqual(["let in", "let in", "let in"]);
  });

  it("lets a sender's program in by its key, where files are brought, and no page of another site", () => {
    const put = (url: string, more: Asked["headers"]): string =>
      refusalOf({ method: "PUT", url, headers: { host: "localhost", ...more } }, ["localhost"])?.code ?? "let in";
    const key = { authorization: "Bearer sieve-abc" };
    expect(put("/api/bring/seeds?name=a.csv", key)).toBe("let in");
    expect(put("/api/bring/seeds?name=a.csv", {})).toBe("not-allowed");
    expect(put("/api/bring/seeds", { ...key, origin: "http://elsewhere.example" })).toBe("not-allowed");
    expect(put("/api/deliveries/1/files", key)).toBe("not-allowed");
    expect(put("/api/feeds/../bring/seeds", key)).toBe("not-allowed");
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

describe("who asks, and about what", () => {
  it("is whoever is at the other end, unless that is a proxy that is believed", () => {
    const proxies = proxiesOf({ SIEVE_PROXIES: "127.0.0.1, 10.0.0.7" });
    const asker = (forwarded: string | undefined, remote: string): string =>
      askerOf(forwarded === undefined ? {} : { "x-forwarded-for": forwarded }, remote, proxies);
    expect(asker("198.51.100.4", "127.0.0.1")).toBe("198.51.100.4");
    expect(asker("198.51.100.4", "::ffff:127.0.0.1")).toBe("198.51.100.4");
    // What a client has written itself stands before what the proxy has added.
    expect(asker("203.0.113.1, 198.51.100.4, 10.0.0.7", "127.0.0.1")).toBe("198.51.100.4");
    expect(asker("198.51.100.4", "198.51.100.9")).toBe("198.51.100.9");
    expect(asker(undefined, "127.0.0.1")).toBe("127.0.0.1");
    expect(askerOf({ "x-forwarded-for": "198.51.100.4" }, "127.0.0.1", proxiesOf({}))).toBe("127.0.0.1");
  });

  it("is told for the log by the path, below the one that the application is under", () => {
    expect(subjectOf("/api/loads/12/records?from=3")).toEqual({ load: 12 });
    expect(subjectOf("/feeds/accessions/plan")).toEqual({ feed: "accessions" });
    expect(subjectOf("/api/deliveries/7/files")).toEqual({ delivery: 7 });
    for (const url of ["/", "/api/loads", "/api/loads/x", "/feeds/..%2f", "/loads/12345678901"])
      expect(subjectOf(url), url).toEqual({});
    expect(pathOf("/sieve/api/loads/12?x=1", "/sieve")).toBe("/api/loads/12");
    expect(pathOf("/sieve", "/sieve")).toBe("/");
    expect(pathOf("/sieves", "/sieve")).toBe("/sieves");
  });
});
