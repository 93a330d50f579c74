import { type ChildProcess, spawn } from 'node:child_process';

/** What an RTSP stream is coded in; `own` is one of its maker's, which nobody else can read. */
export type StreamCodec = CodedTogether | 'jpeg';
/** Codes in which a picture leans on those before it. */
export type CodedTogether = 'h264' | 'h265' | 'own';

const h264 = ['-c:v', 'libx264', '-preset', 'ultrafast', '-tune', 'zerolatency', '-profile:v', 'baseline', '-f', 'h264'];
const encoders: Record<CodedTogether, readonly string[]> = {
  h264,
  own: h264,
  h265: ['-c:v', 'libx265', '-preset', 'ultrafast', '-tune', 'zerolatency', '-x265-params', 'log-level=error', '-f', 'hevc'],
};

/** Codes pictures as they come, and hands out the units of the stream (NAL units, ITU-T H.264 Annex B). */
export class Encoder {
  private readonly child: ChildProcess;
  private kept: Buffer = Buffer.alloc(0);

  constructor(codec: CodedTogether, size: { width: number; height: number; everyMs: number }, unit: (nal: Buffer) => void) {
    const rate = String(Math.round(1000 / size.everyMs));
    this.child = spawn(
      'ffmpeg',
      [
        ...['-hide_banner', '-loglevel', 'error', '-f', 'rawvideo', '-pix_fmt', 'rgb24', '-s', `${size.width}x${size.height}`, '-r', rate],
        ...['-i', 'pipe:0', '-pix_fmt', 'yuv420p', '-g', rate, '-threads', '1', ...encoders[codec], 'pipe:1'],
      ],
      { stdio: ['pipe', 'pipe', 'ignore'] },
    );
    this.child.on('error', () => undefined);
    this.child.stdin?.on('error', () => undefined);
    this.child.stdout?.on('data', (bytes: Buffer) => this.cut(bytes, unit));
  }

  /** Codes one picture; left out when it has not taken the last yet. */
  push(rgb: Buffer): void {
    const { stdin } = this.child;
    if (stdin?.writable && stdin.writableLength < rgb.length * 2) stdin.write(Buffer.from(rgb));
  }

  stop(): void {
    this.child.kill('SIGKILL');
  }

  private cut(bytes: Buffer, unit: (nal: Buffer) => void): void {
    this.kept = Buffer.concat([this.kept, bytes]);
    for (;;) {
      const start = this.kept.indexOf(startCode);
      const end = start < 0 ? -1 : this.kept.indexOf(startCode, start + 3);
      if (end < 0) return;
      // A start code of four bytes has a zero before its three.
      const nal = this.kept.subarray(start + 3, this.kept[end - 1] === 0 ? end - 1 : end);
      this.kept = this.kept.subarray(end);
      if (nal.length > 0) unit(Buffer.from(nal));
    }
  }
}

const startCode = Buffer.from([0, 0, 1]);
