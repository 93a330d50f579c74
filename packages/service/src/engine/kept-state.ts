import type { StateKey, StateView } from '@causalis/core';

/** State that is kept in memory and known to be in the ledger. */
export class KeptState implements StateView {
  private readonly values: Map<string, unknown>;
  constructor(values: Map<string, unknown>) {
    this.values = values;
  }
  get<T>(key: StateKey<T>): T | undefined {
    return this.values.get(key) as T | undefined;
  }
  *entries(prefix: string): Iterable<[string, unknown]> {
    for (const [name, value] of this.values) if (name.startsWith(prefix)) yield [name, value];
  }
  merge(changes: ReadonlyMap<string, unknown>): void {
    for (const [name, value] of changes) {
      if (value === null) this.values.delete(name);
      else this.values.set(name, value);
    }
  }
}
