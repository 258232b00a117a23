/** A value that nobody changes, whatever it is made of: what a declaration gives, as it is passed on. */
export type Unchanging<T> = T extends readonly (infer E)[]
  ? readonly Unchanging<E>[]
  : T extends object
    ? { readonly [K in keyof T]: Unchanging<T[K]> }
    : T;
