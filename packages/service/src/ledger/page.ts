import type { Transaction } from 'sequelize';

/** The moment at which something is read together with other things: see `atOneMoment`. */
export type At = Transaction | null;

export const iso = (date: Date | string): string => new Date(date).toISOString();

export const optional = <K extends string, V>(name: K, value: V | null | undefined): { [k in K]?: V } =>
  value === null || value === undefined ? {} : ({ [name]: value } as { [k in K]?: V });

/** One page of a list, newest first, and the key of the next. */
export interface Page<T> {
  readonly items: T[];
  readonly next?: string;
}

export function paged<T extends { id: string }>(items: T[], limit: number): Page<T> {
  const last = items[limit - 1];
  return items.length > limit && last ? { items: items.slice(0, limit), next: last.id } : { items };
}
