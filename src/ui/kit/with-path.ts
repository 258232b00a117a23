/** The path that the application is under, such as “/sieve”, as it was built for; nothing where it has a name to itself. */
const UNDER = process.env.NEXT_PUBLIC_SIEVE_PATH ?? "";

/** An address of ours for what does not go through the router: requests, and links that are not its own. */
export function withPath(path: string): string {
  return path.startsWith("/") ? `${UNDER}${path}` : path;
}
