import { v7 } from 'uuid';

/** A new id: UUIDv7, so that ids sort by time. */
export const newId = (): string => v7();

/** The smallest id of a moment, wall ms: ids before it were made before (RFC 9562 §5.7: 48 bits of milliseconds first). */
export const firstBytesOf = (time: number): Buffer =>
  Buffer.from(`${Math.max(0, time).toString(16).padStart(12, '0')}${'0'.repeat(20)}`, 'hex');

/** An id as the ledger keeps it. */
export const toBytes = (id: string): Buffer => Buffer.from(id.replaceAll('-', ''), 'hex');

/** An id as everything else writes it. */
export function fromBytes(bytes: Buffer): string {
  const hex = bytes.toString('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}
