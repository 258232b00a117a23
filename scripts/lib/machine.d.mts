export const root: string;
export const isRoot: boolean;
export function freePort(): Promise<number>;
export function portIsFree(port: number): Promise<boolean>;
export const HEADLESS_SHELL: string;
export function chromiumPath(): string | null;
export function postgresBin(): string | null;
