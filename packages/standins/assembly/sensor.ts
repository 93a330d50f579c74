// What is done with every pixel of a painted picture, in AssemblyScript: light on the standing ground, and the noise of
// the sensor. `src/gatehouse/sensor.ts` says what each does.

/** Bytes `from` to `to` of the ground in the light of three tables of 256 levels, one a colour, which follow each other. */
export function expose(ground: usize, picture: usize, from: u32, to: u32, tables: usize): void {
  for (let i = from; i < to; i += 3) {
    store<u8>(picture + i, load<u8>(tables + <usize>load<u8>(ground + i)));
    store<u8>(picture + i, load<u8>(tables + <usize>load<u8>(ground + i, 1), 256), 1);
    store<u8>(picture + i, load<u8>(tables + <usize>load<u8>(ground + i, 2), 512), 2);
  }
}

/** Adds noise to each byte, and stays within its levels; what is beyond the picture up to a vector is not used. */
export function addNoise(picture: usize, size: u32, noise: usize): void {
  const zero = i8x16.splat(0);
  for (let i: u32 = 0; i < size; i += 16) {
    const by = v128.load(noise + i);
    const brighter = i8x16.add_sat_u(v128.load(picture + i), i8x16.max_s(by, zero));
    v128.store(picture + i, i8x16.sub_sat_u(brighter, i8x16.neg(i8x16.min_s(by, zero))));
  }
}

/** The same for a picture without colours: one level of noise for the three bytes of a pixel. */
export function addGreyNoise(picture: usize, size: u32, noise: usize): void {
  for (let i: u32 = 0; i < size; i += 3) {
    const level = <i32>load<u8>(picture + i) + <i32>load<i8>(noise);
    const within = <u8>min(max(level, 0), 255);
    store<u8>(picture + i, within);
    store<u8>(picture + i, within, 1);
    store<u8>(picture + i, within, 2);
    noise++;
  }
}
