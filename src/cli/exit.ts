/** Exit codes beside 0: a gate stopped the load, a usage error, a failure. */
export const EXIT = { stopped: 1, usage: 2, failure: 3 } as const;
