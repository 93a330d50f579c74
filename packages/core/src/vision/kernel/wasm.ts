import { type KernelSize, layOut, roomFor } from './memory.js';
import { type KernelOps, medianRatio, type OpsFor } from './ops.js';

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
  blur(cells: Pointer, row: Pointer, now: Pointer, width: number, height: number): void;
  ratios(now: Pointer, mean: Pointer, histogram: Pointer, width: number, height: number): number;
  judge(...numbers: number[]): number;
  widen(deviation: Pointer, spread: Pointer, around: Pointer, width: number, height: number): void;
  tidy(changed: Pointer, clean: Pointer, grown: Pointer, busy: Pointer, width: number, height: number, neighbours: number): void;
  runs(grown: Pointer, busy: Pointer, begin: Pointer, end: Pointer, width: number, height: number): number;
}

const pageBytes = 65_536;
/** As many kernels share a bench: their memory is asked for at once, and taken only where it is written. */
const kernelsEach = 24;

/** One memory with the steps that work on it: a bench that kernels share, and places for what is their own. */
class Bench {
  private readonly steps: Exports;
  private readonly room: ReturnType<typeof roomFor>;
  private readonly free: number[];

  constructor(module: WasmModule, size: KernelSize) {
    this.steps = new WebAssembly.Instance(module, { env: { abort: () => undefined } }).exports as Exports;
    this.room = roomFor(size);
    const { own, shared } = this.room;
    this.free = Array.from({ length: kernelsEach }, (_, i) => pageBytes + shared + i * own).reverse();
    const more = Math.ceil((pageBytes + shared + kernelsEach * own - this.steps.memory.buffer.byteLength) / pageBytes);
    if (more > 0) this.steps.memory.grow(more);
  }

  hasRoom(size: KernelSize): boolean {
    const { own, shared } = roomFor(size);
    return this.free.length > 0 && own <= this.room.own && shared <= this.room.shared;
  }

  take(size: KernelSize): KernelOps {
    const place = this.free.pop();
    if (place === undefined) throw new Error('The bench is full.');
    const { steps } = this;
    const { width, height } = size;
    const memory = layOut(size, steps.memory.buffer, place, pageBytes);
    const m = memory;
    const at = ({ byteOffset }: { byteOffset: number }): Pointer => byteOffset;
    const arrays = [m.now, m.mean, m.around, m.deviation, m.recent, m.hold, m.changed, m.active].map(at);
    return {
      memory,
      release: () => this.free.push(place),
      reduce: (stride, factor) => steps.reduce(at(m.picture), stride, factor, at(m.columns), at(m.cells), width, height) !== 0,
      blur: () => steps.blur(at(m.cells), at(m.row), at(m.now), width, height),
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
      tidy: (neighbours) => steps.tidy(at(m.changed), at(m.clean), at(m.grown), at(m.busy), width, height, neighbours),
      runs: () => steps.runs(at(m.grown), at(m.busy), at(m.begin), at(m.end), width, height),
    };
  }
}

/**
 * Makes the steps of kernels from the compiled `kernel.wasm`. Kernels that are made by one such function share a bench,
 * which stays in the processor's cache from camera to camera; only one of them may be at work at a time.
 */
export function wasmOps(bytes: Uint8Array): OpsFor {
  const module = new WebAssembly.Module(bytes);
  const benches: Bench[] = [];
  return (size) => {
    const known = benches.find((bench) => bench.hasRoom(size));
    if (known) return known.take(size);
    const bench = new Bench(module, size);
    benches.push(bench);
    return bench.take(size);
  };
}
