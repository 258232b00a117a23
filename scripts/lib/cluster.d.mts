export interface Cluster {
  readonly base: string;
  readonly folder: string;
  readonly pid: number;
  stop(): Promise<void>;
  restart(): Promise<void>;
  /** Ends the server as a crash does, and starts it again. */
  kill(): Promise<void>;
}
export function startCluster(
  name: string,
  port: number,
  options?: { settings?: Record<string, string | number>; quiet?: boolean },
): Promise<Cluster>;
/** The same database by the application's role, the role that owns the store, and the cluster's superuser. */
export interface Addresses {
  readonly url: string;
  readonly owner: string;
  readonly admin: string;
}
export function makeDatabase(cluster: { base: string; folder: string }, name: string): Addresses;
/** The addresses of a database of these roles that is there. */
export function addressesOf(cluster: { base: string; folder: string }, name: string): Addresses;
/** A database beside the store, in which targets may have copies. */
export function makeFarDatabase(cluster: { base: string; folder: string }, name: string): Addresses;
/** A file's text; "" where it is not there. */
export function readIfThere(file: string): string;
