export interface Cluster {
  readonly base: string;
  readonly folder: string;
  readonly pid: number;
  stop(): Promise<void>;
  restart(): Promise<void>;
}
export function startCluster(
  name: string,
  port: number,
  options?: { settings?: Record<string, string | number>; quiet?: boolean },
): Promise<Cluster>;
export function makeDatabase(cluster: { base: string }, name: string): string;
