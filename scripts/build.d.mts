export function build(options?: { force?: boolean }): Promise<void>;
