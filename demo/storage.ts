import { createHash } from "node:crypto";
import { createServer, type IncomingMessage } from "node:http";
import { AwsV4Signer } from "aws4fetch";

/**
 * A stand-in for an object storage: takes objects by signed PUT requests, keeps the last of them in memory, and lists or
 * gives them to whoever asks. What is not signed with its secret, or is not what was signed, is refused. Nothing leaves
 * this machine.
 */
export const MOST_OBJECTS = 500;
const MOST_BYTES = 64 << 20;

/** Whose requests are taken: key and secret. */
export interface Holder {
  readonly key: string;
  readonly secret: string;
}

/** What is wrong with the signature of a request, or null. `sha256`: of the bytes that came. */
async function faultOf(request: IncomingMessage, { key, secret }: Holder, sha256: string): Promise<string | null> {
  const given = String(request.headers.authorization ?? "");
  const [, of, region, service, names] =
    /^AWS4-HMAC-SHA256 Credential=([^/]+)\/\d{8}\/([^/]+)\/([^/]+)\/aws4_request, ?SignedHeaders=([^,]+), ?Signature=[0-9a-f]{64}$/.exec(
      given,
    ) ?? [];
  if (!names) return "It is not signed.";
  if (of !== key) return "Nobody has this key.";
  if (request.headers["x-amz-content-sha256"] !== sha256) return "Its bytes are not those that were signed.";
  const headers = Object.fromEntries(
    names
      .split(";")
      .filter((n) => n !== "host")
      .map((n) => [n, String(request.headers[n] ?? "")]),
  );
  const signer = new AwsV4Signer({
    ...{ method: request.method!, url: `http://${request.headers.host}${request.url}`, headers },
    ...{ accessKeyId: key, secretAccessKey: secret, service: service!, region: region! },
    datetime: String(request.headers["x-amz-date"] ?? ""),
  });
  const own = (await signer.sign()).headers.get("authorization");
  return own?.replace(/, /g, ",") === given.replace(/, /g, ",") ? null : "Its signature is not the holder's.";
}

/** A server that is such a storage, and what it has by path. */
export function storageServer(holder: Holder) {
  const objects = new Map<string, Buffer>();
  const server = createServer((request, response) => {
    const answer = (status: number, body: string | Buffer): void => {
      response.statusCode = status;
      response.end(body);
    };
    const path = decodeURIComponent(new URL(request.url ?? "/", "http://storage").pathname);
    if (request.method !== "PUT") {
      const one = objects.get(path);
      if (one) return answer(200, one);
      return answer(200, `${[...objects].map(([p, b]) => `${p} ${b.length}`).join("\n")}\n`);
    }
    const parts: Buffer[] = [];
    let bytes = 0;
    request.on("data", (part: Buffer) => {
      if ((bytes += part.length) <= MOST_BYTES) parts.push(part);
    });
    request.on("end", () => {
      const whole = Buffer.concat(parts);
      const sha256 = createHash("sha256").update(whole).digest("hex");
      void faultOf(request, holder, sha256).then((fault) => {
        if (bytes > MOST_BYTES) return answer(413, "It is too large.");
        if (fault) return answer(403, fault);
        objects.set(path, whole);
        for (const old of objects.keys()) if (objects.size > MOST_OBJECTS) objects.delete(old);
        return answer(200, "");
      });
    });
  });
  return { server, objects };
}
