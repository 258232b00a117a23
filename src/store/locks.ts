/**
 * Advisory locks by their first number; the second is that of what is locked, or a hash of its name.
 * They are the database's, so they go with the connection that holds them.
 */

/** Migrating the store. */
export const MIGRATION_LOCK = 7300;
/** One worker runs a load at a time. */
export const LOAD_LOCK = 7301;
/** Held by each worker process as long as it lives. */
export const WORKER_LOCK = 7302;
/** What has expired is taken away by one at a time. */
export const RETENTION_LOCK = 7303;
/** The next version of a named formula. */
export const FORMULA_LOCK = 7305;
/** The next version of a set of checks. */
export const CHECK_SET_LOCK = 7306;
/** Held by the transaction of a writing whose target has copies, as long as it is under way. */
export const COPY_LOCK = 7308;
/** What is held of a sender is sent to it by one at a time. */
export const SENDING_LOCK = 7309;
/** What is done after a load is done by one at a time. */
export const AFTER_LOCK = 7307;
