import type { StoreApi } from "zustand";

const resets: (() => void)[] = [];

/** A store, or some of its keys, that speaks of one scene: it begins anew with the next. */
export function perScene<S>(store: Pick<StoreApi<S>, "setState" | "getInitialState">, ...keys: (keyof S)[]) {
  resets.push(() => {
    const initial = store.getInitialState();
    store.setState(keys.length ? (Object.fromEntries(keys.map((key) => [key, initial[key]])) as Partial<S>) : initial);
  });
}

/** Nothing of the scene before is left. */
export const forgetAll = () => resets.forEach((reset) => reset());
