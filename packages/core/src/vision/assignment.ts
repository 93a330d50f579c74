/**
 * The cheapest way to give each row at most one column: the optimal assignment (Kuhn 1955, Munkres 1957; with shortest
 * augmenting paths after Jonker and Volgenant 1987, O(n³)). `cost` by row and column; what may not be is `Infinity`.
 * Returns the column of each row, or −1.
 *
 * @example assign([[1, 9], [2, 3]]) // [0, 1]
 */
export function assign(cost: readonly (readonly number[])[]): number[] {
  const rows = cost.length;
  const columns = rows === 0 ? 0 : cost[0].length;
  if (columns === 0) return cost.map(() => -1);
  const n = Math.max(rows, columns);
  // What may not be costs more than all that may together, so that it is chosen only where nothing else is left.
  const finite = cost.flat().filter(Number.isFinite);
  const never = finite.reduce((sum, value) => sum + Math.abs(value), 1) * 2;
  const price = (row: number, column: number): number => {
    const value = row < rows && column < columns ? cost[row][column] : never;
    return Number.isFinite(value) ? value : never;
  };
  const u = new Float64Array(n + 1);
  const v = new Float64Array(n + 1);
  const rowOf = new Int32Array(n + 1);
  const way = new Int32Array(n + 1);
  for (let row = 1; row <= n; row++) {
    rowOf[0] = row;
    let column = 0;
    const least = new Float64Array(n + 1).fill(Number.POSITIVE_INFINITY);
    const used = new Uint8Array(n + 1);
    do {
      used[column] = 1;
      const here = rowOf[column];
      let delta = Number.POSITIVE_INFINITY;
      let next = 0;
      for (let j = 1; j <= n; j++) {
        if (used[j] === 1) continue;
        const reduced = price(here - 1, j - 1) - u[here] - v[j];
        if (reduced < least[j]) {
          least[j] = reduced;
          way[j] = column;
        }
        if (least[j] < delta) {
          delta = least[j];
          next = j;
        }
      }
      for (let j = 0; j <= n; j++) {
        if (used[j] === 1) {
          u[rowOf[j]] += delta;
          v[j] -= delta;
        } else least[j] -= delta;
      }
      column = next;
    } while (rowOf[column] !== 0);
    do {
      const before = way[column];
      rowOf[column] = rowOf[before];
      column = before;
    } while (column !== 0);
  }
  const chosen = new Array<number>(rows).fill(-1);
  for (let column = 1; column <= columns; column++) {
    const row = rowOf[column] - 1;
    if (row >= 0 && row < rows && Number.isFinite(cost[row][column - 1])) chosen[row] = column - 1;
  }
  return chosen;
}
