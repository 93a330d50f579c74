// The kernel's steps for WebAssembly with vectors of 128 bits, in AssemblyScript. `src/vision/kernel/ops.ts` says what
// each does; a test holds both to the same bytes. Vectors may run over an array's end into its guard.

export function reduce(picture: usize, stride: u32, factor: u32, columns: usize, cells: usize, width: u32, height: u32): bool {
  if (factor === 1) return takeAsItIs(picture, stride, cells, width, height);
  if (factor === 2) return reduceByTwo(picture, stride, cells, width, height);
  const apart: u32 = factor < 4 ? 1 : 2;
  const rows = (factor + apart - 1) / apart;
  const share: u32 = <u32>Math.round(65536.0 / <f64>(factor * rows));
  const across = width * factor;
  // Of an even number two neighbours are added at once.
  const even = factor % 2 === 0;
  const sums = even ? factor >> 1 : factor;
  let other = false;
  for (let y: u32 = 0; y < height; y++) {
    const row = picture + y * factor * stride;
    if (even) addPairs(row, stride * apart, rows, columns, across);
    else addColumns(row, stride * apart, rows, columns, across);
    let at = columns;
    const out = cells + y * width;
    for (let x: u32 = 0; x < width; x++) {
      let sum: u32 = 0;
      for (let i: u32 = 0; i < sums; i++) {
        sum += <u32>load<u16>(at);
        at += 2;
      }
      const level = (sum * share + 32768) >> 16;
      if (<u32>load<u8>(out + x) !== level) other = true;
      store<u8>(out + x, level);
    }
  }
  return other;
}

/** Sums of columns over `count` rows. */
function addColumns(row: usize, stride: u32, count: u32, columns: usize, across: u32): void {
  for (let x: u32 = 0; x < across; x += 16) {
    let low = i16x8.splat(0);
    let high = i16x8.splat(0);
    let at = row + x;
    for (let j: u32 = 0; j < count; j++) {
      const pixels = v128.load(at);
      low = i16x8.add(low, i16x8.extend_low_i8x16_u(pixels));
      high = i16x8.add(high, i16x8.extend_high_i8x16_u(pixels));
      at += stride;
    }
    v128.store(columns + x * 2, low);
    v128.store(columns + x * 2, high, 16);
  }
}

/** Sums of columns over `count` rows, two columns to one sum. */
function addPairs(row: usize, stride: u32, count: u32, columns: usize, across: u32): void {
  for (let x: u32 = 0; x < across; x += 16) {
    let sum = i16x8.splat(0);
    let at = row + x;
    for (let j: u32 = 0; j < count; j++) {
      sum = i16x8.add(sum, i16x8.extadd_pairwise_i8x16_u(v128.load(at)));
      at += stride;
    }
    v128.store(columns + x, sum);
  }
}

function takeAsItIs(picture: usize, stride: u32, cells: usize, width: u32, height: u32): bool {
  let other = false;
  for (let y: u32 = 0; y < height; y++) {
    if (memory.compare(cells + y * width, picture + y * stride, width) === 0) continue;
    other = true;
    memory.copy(cells + y * width, picture + y * stride, width);
  }
  return other;
}

/** The usual case, a small feed of 640 pixels: (a + b + c + d) × 16,384 + 32,768 over 65,536 is the sum and two, over four. */
function reduceByTwo(picture: usize, stride: u32, cells: usize, width: u32, height: u32): bool {
  const two = i16x8.splat(2);
  let unlike = i16x8.splat(0);
  let other = false;
  for (let y: u32 = 0; y < height; y++) {
    let at = picture + y * 2 * stride;
    const out = cells + y * width;
    let x: u32 = 0;
    for (; x + 16 <= width; x += 16) {
      const a = i16x8.add(i16x8.extadd_pairwise_i8x16_u(v128.load(at)), i16x8.extadd_pairwise_i8x16_u(v128.load(at + stride)));
      const b = i16x8.add(i16x8.extadd_pairwise_i8x16_u(v128.load(at, 16)), i16x8.extadd_pairwise_i8x16_u(v128.load(at + stride, 16)));
      const levels = i8x16.narrow_i16x8_u(i16x8.shr_u(i16x8.add(a, two), 2), i16x8.shr_u(i16x8.add(b, two), 2));
      unlike = v128.or(unlike, v128.xor(v128.load(out + x), levels));
      v128.store(out + x, levels);
      at += 32;
    }
    for (; x < width; x++) {
      const sum = <u32>load<u8>(at) + <u32>load<u8>(at, 1) + <u32>load<u8>(at + stride) + <u32>load<u8>(at + stride, 1);
      const level = (sum + 2) >> 2;
      if (<u32>load<u8>(out + x) !== level) other = true;
      store<u8>(out + x, level);
      at += 2;
    }
  }
  return other || v128.any_true(unlike);
}

export function blur(cells: usize, row: usize, now: usize, width: u32, height: u32): void {
  for (let y: u32 = 0; y < height; y++) {
    const here = cells + y * width;
    const above = y === 0 ? here : here - width;
    const below = y === height - 1 ? here : here + width;
    for (let x: u32 = 0; x < width; x += 16) {
      const a = v128.load(above + x);
      const b = v128.load(here + x);
      const c = v128.load(below + x);
      const low = i16x8.add(i16x8.add(i16x8.extend_low_i8x16_u(a), i16x8.extend_low_i8x16_u(c)), i16x8.shl(i16x8.extend_low_i8x16_u(b), 1));
      const high = i16x8.add(
        i16x8.add(i16x8.extend_high_i8x16_u(a), i16x8.extend_high_i8x16_u(c)),
        i16x8.shl(i16x8.extend_high_i8x16_u(b), 1),
      );
      v128.store(row + x * 2, low);
      v128.store(row + x * 2, high, 16);
    }
    // Beyond its edges the row goes on as it is there.
    store<u16>(row - 2, load<u16>(row));
    store<u16>(row + width * 2, load<u16>(row + (width - 1) * 2));
    const out = now + y * width * 2;
    // A row's overrun is written again by the next row.
    for (let x: u32 = 0; x < width; x += 8) {
      const at = row + x * 2;
      const sum = i16x8.add(i16x8.add(v128.load(at - 2), v128.load(at + 2)), i16x8.shl(v128.load(at), 1));
      v128.store(out + x * 2, i16x8.shl(sum, 3));
    }
  }
}

/** Fills the histogram; how many cells have voted. */
export function ratios(now: usize, mean: usize, histogram: usize, width: u32, height: u32): u32 {
  memory.fill(histogram, 0, 1024);
  let count: u32 = 0;
  for (let y: u32 = 1; y < height; y += 4) {
    const end = (y + 1) * width;
    for (let i = y * width + 1; i < end; i += 4) {
      const a = <i32>load<i16>(now + i * 2) + 1024;
      const b = <i32>load<i16>(mean + i * 2) + 1024;
      let bin = ((a * 256) / b + 1) >> 1;
      if (bin > 511) bin = 511;
      const at = histogram + bin * 2;
      store<u16>(at, load<u16>(at) + 1);
      count++;
    }
  }
  return count;
}

export function judge(
  now: usize,
  mean: usize,
  around: usize,
  deviation: usize,
  recent: usize,
  hold: usize,
  changed: usize,
  active: usize,
  size: u32,
  gain: i32,
  shift: i32,
  difference: i32,
  activeDifference: i32,
  fast: i32,
  learn: i32,
  sway: i32,
  calm: i32,
  absorb: i32,
  light: i32,
  step: i32,
  cap: i32,
): u32 {
  const vGain = i16x8.splat(<i16>gain);
  const vShift = i16x8.splat(<i16>shift);
  const vDifference = i16x8.splat(<i16>difference);
  const vActive = i16x8.splat(<i16>activeDifference);
  const vFast = i16x8.splat(<i16>fast);
  const vLearn = i16x8.splat(<i16>learn);
  const vSway = i16x8.splat(<i16>sway);
  const vCalm = i16x8.splat(<i16>calm);
  const vAbsorb = i16x8.splat(<i16>absorb);
  const vLight = i16x8.splat(<i16>light);
  const vStep = i16x8.splat(<i16>step);
  const vCap = i16x8.splat(<i16>cap);
  const zero = i16x8.splat(0);
  const one = i8x16.splat(1);
  let count: u32 = 0;
  for (let i: u32 = 0; i < size; i += 16) {
    let otherLow = zero;
    let activeLow = zero;
    let other = zero;
    let moving = zero;
    const held = v128.load(hold + i);
    for (let half: u32 = 0; half < 2; half++) {
      const at = (i + half * 8) * 2;
      const h = half === 0 ? i16x8.extend_low_i8x16_s(held) : i16x8.extend_high_i8x16_s(held);
      const cell = v128.load(now + at);
      const usually = v128.load(mean + at);
      const turned = i16x8.q15mulr_sat_s(usually, vGain);
      const off = i16x8.sub_sat_s(cell, i16x8.add_sat_s(i16x8.add_sat_s(usually, vShift), i16x8.add_sat_s(turned, turned)));
      const far = i16x8.abs(off);
      const near = v128.load(around + at);
      const twice = i16x8.add_sat_s(near, near);
      other = i16x8.gt_s(far, i16x8.max_s(i16x8.add_sat_s(twice, twice), vDifference));
      const before = v128.load(recent + at);
      const since = i16x8.sub_sat_s(cell, before);
      v128.store(recent + at, i16x8.add_sat_s(before, i16x8.q15mulr_sat_s(since, vFast)));
      let learned = i16x8.q15mulr_sat_s(i16x8.sub_sat_s(cell, usually), vLearn);
      moving = zero;
      // Almost everywhere nothing has changed.
      if (v128.any_true(other)) {
        moving = v128.and(other, i16x8.gt_s(i16x8.abs(since), vActive));
        const stays = v128.andnot(i16x8.q15mulr_sat_s(off, vAbsorb), h);
        learned = v128.bitselect(i16x8.add_sat_s(i16x8.q15mulr_sat_s(usually, vLight), stays), learned, other);
      }
      v128.store(mean + at, i16x8.max_s(i16x8.add_sat_s(usually, learned), zero));
      const usual = v128.load(deviation + at);
      const restless = i16x8.sub_sat_s(i16x8.min_s(far, vCap), usual);
      const down = i16x8.min_s(i16x8.q15mulr_sat_s(restless, vCalm), v128.and(i16x8.shr_s(restless, 15), vStep));
      const up = v128.andnot(i16x8.q15mulr_sat_s(restless, vSway), h);
      v128.store(deviation + at, i16x8.add(usual, v128.bitselect(up, down, i16x8.gt_s(restless, zero))));
      if (half === 0) {
        otherLow = other;
        activeLow = moving;
      }
    }
    const cells = i8x16.narrow_i16x8_s(otherLow, other);
    v128.store(changed + i, v128.and(cells, one));
    v128.store(active + i, v128.and(i8x16.narrow_i16x8_s(activeLow, moving), one));
    let bits = i8x16.bitmask(cells);
    if (i + 16 > size) bits &= (1 << (size - i)) - 1;
    count += popcnt(bits);
  }
  return count;
}

function largest(from: usize, into: usize, stride: u32, size: u32): void {
  const far = 2 * stride;
  memory.copy(into, from, far * 2);
  const end = size - far;
  const a = far * 2;
  const b = stride * 2;
  for (let i: u32 = far; i < end; i += 8) {
    const at = from + i * 2;
    const most = i16x8.max_s(
      i16x8.max_s(i16x8.max_s(v128.load(at - a), v128.load(at - b)), v128.load(at)),
      i16x8.max_s(v128.load(at + b), v128.load(at + a)),
    );
    v128.store(into + i * 2, most);
  }
  memory.copy(into + end * 2, from + end * 2, far * 2);
}

export function widen(deviation: usize, spread: usize, around: usize, width: u32, height: u32): void {
  largest(deviation, spread, 1, width * height);
  largest(spread, around, width, width * height);
}

export function tidy(changed: usize, clean: usize, grown: usize, busy: usize, width: u32, height: u32, neighbours: i32): void {
  const end = width * (height - 1);
  const least = i8x16.splat(<i8>(neighbours - 1));
  const zero = i8x16.splat(0);
  memory.fill(busy, 0, height);
  // One more before and behind: what the bench held there before is no neighbour.
  memory.fill(clean - 1, 0, width + 1);
  for (let y: u32 = 1; y < height - 1; y++) {
    let any = zero;
    const row = clean + y * width;
    for (let x: u32 = 0; x < width; x += 16) {
      const at = changed + y * width + x;
      const here = v128.load(at);
      if (!v128.any_true(here)) {
        v128.store(row + x, zero);
        continue;
      }
      const above = i8x16.add(i8x16.add(v128.load(at - width - 1), v128.load(at - width)), v128.load(at - width + 1));
      const below = i8x16.add(i8x16.add(v128.load(at + width - 1), v128.load(at + width)), v128.load(at + width + 1));
      const about = i8x16.add(i8x16.add(above, below), i8x16.add(v128.load(at - 1), v128.load(at + 1)));
      const stays = v128.and(here, i8x16.gt_s(about, least));
      any = v128.or(any, stays);
      v128.store(row + x, stays);
    }
    // What stands on the picture's edge has not all its neighbours.
    store<u8>(row, 0);
    store<u8>(row + width - 1, 0);
    if (v128.any_true(any)) store<u8>(busy + y, 1);
  }
  memory.fill(clean + end, 0, width + 1);
  memory.fill(grown, 0, width);
  for (let y: u32 = 1; y < height - 1; y++) {
    const row = grown + y * width;
    if (!isBusy(busy, y, height)) {
      memory.fill(row, 0, width);
      continue;
    }
    for (let x: u32 = 0; x < width; x += 16) {
      const at = clean + y * width + x;
      const above = v128.or(v128.or(v128.load(at - width - 1), v128.load(at - width)), v128.load(at - width + 1));
      const below = v128.or(v128.or(v128.load(at + width - 1), v128.load(at + width)), v128.load(at + width + 1));
      v128.store(row + x, v128.or(v128.or(above, below), v128.or(v128.or(v128.load(at - 1), v128.load(at)), v128.load(at + 1))));
    }
  }
  memory.fill(grown + end, 0, width);
}

/** Whether a row or one of those beside it has anything. */
function isBusy(busy: usize, y: u32, height: u32): bool {
  return load<u8>(busy + y) !== 0 || (y > 0 && load<u8>(busy + y - 1) !== 0) || (y + 1 < height && load<u8>(busy + y + 1) !== 0);
}

/** Sixteen cells at a time: most of a mask is empty, and much of the rest is full. */
export function runs(grown: usize, busy: usize, begin: usize, end: usize, width: u32, height: u32): u32 {
  const zero = i8x16.splat(0);
  let count: u32 = 0;
  for (let y: u32 = 0; y < height; y++) {
    if (!isBusy(busy, y, height)) continue;
    const stop = (y + 1) * width;
    let within = false;
    for (let i = y * width; i < stop; i += 16) {
      let bits = i8x16.bitmask(i8x16.ne(v128.load(grown + i), zero));
      if (i + 16 > stop) bits &= (1 << (stop - i)) - 1;
      let at: i32 = 0;
      for (;;) {
        const next = (within ? ~bits & 0xffff : bits) >> at;
        if (next === 0) break;
        at += ctz(next);
        if (within) {
          store<u32>(end + count * 4, i + at);
          count++;
        } else store<u32>(begin + count * 4, i + at);
        within = !within;
      }
    }
    if (within) {
      store<u32>(end + count * 4, stop);
      count++;
    }
  }
  return count;
}
