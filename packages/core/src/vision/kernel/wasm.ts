import { layOut } from './memory.js';
import { type KernelOps, medianRatio } from './ops.js';

/** The little of WebAssembly that is needed; the language's own library does not declare it. */
interface WasmMemory {
  readonly buffer: ArrayBuffer;
  grow(pages: number): number;
}
interface WasmModule {
  readonly module?: never;
}
declare const WebAssembly: {
  Module: new (bytes: Uint8Array) => WasmModule;
  Instance: new (module: WasmModule, imports: object) => { readonly exports: unknown };
};
type Pointer = number;
interface Exports {
  readonly memory: WasmMemory;
  reduce(picture: Pointer, stride: number, factor: number, columns: Pointer, cells: Pointer, width: number, height: number): number;
  blur(cells: Pointer, rows: Pointer, now: Pointer, width: number, height: number): void;
  ratios(now: Pointer, mean: Pointer, histogram: Pointer, width: number, height: number): number;
  judge(...numbers: number[]): number;
  widen(deviation: Pointer, spread: Pointer, around: Pointer, width: number, height: number): void;
  tidy(changed: Pointer, clean: Pointer, grown: Pointer, width: number, height: number, neighbours: number): void;
  runs(grown: Pointer, begin: Pointer, end: Pointer, width: number, height: number): number;
}

const pageBytes = 65_536;

/** Makes the steps of kernels from the compiled `kernel.wasm`; each kernel has an instance and a memory of its own. */
export function wasmOps(bytes: Uint8Array): (width: number, height: number, pictureBytes: number) => KernelOps {
  const module = new WebAssembly.Module(bytes);
  return (width, height, pictureBytes) => {
    const steps = new WebAssembly.Instance(module, { env: { abort: () => undefined } }).exports as Exports;
    const memory = layOut(width, height, pictureBytes, pageBytes, (needed) => {
      const more = Math.ceil((needed - steps.memory.buffer.byteLength) / pageBytes);
      if (more > 0) steps.memory.grow(more);
      return steps.memory.buffer;
    });
    const m = memory;
    const at = ({ byteOffset }: { byteOffset: number }): Pointer => byteOffset;
    const arrays = [m.now, m.mean, m.around, m.deviation, m.recent, m.hold, m.changed, m.active].map(at);
    return {
      memory,
      reduce: (stride, factor) => steps.reduce(at(m.picture), stride, factor, at(m.columns), at(m.cells), width, height) !== 0,
      blur: () => steps.blur(at(m.cells), at(m.rows), at(m.now), width, height),
      gain: () => medianRatio(m.histogram, steps.ratios(at(m.now), at(m.mean), at(m.histogram), width, height)),
      judge: ({ gain, shift, difference, activeDifference, recent, learn, sway, calm, absorb, light, step, cap }) =>
        steps.judge(
          ...arrays,
          width * height,
          gain,
          shift,
          difference,
          activeDifference,
          recent,
          learn,
          sway,
          calm,
          absorb,
          light,
          step,
          cap,
        ),
      widen: () => steps.widen(at(m.deviation), at(m.spread), at(m.around), width, height),
      tidy: (neighbours) => steps.tidy(at(m.changed), at(m.clean), at(m.grown), width, height, neighbours),
      runs: () => steps.runs(at(m.grown), at(m.begin), at(m.end), width, height),
    };
  };
}
