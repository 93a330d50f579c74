import { ref } from 'vue';

/** Short tones for whoever looks elsewhere. A browser plays nothing before a click. */
export function useTone() {
  const context = ref<AudioContext>();
  function tone(pitch: number, seconds: number): void {
    const audio = context.value;
    if (!audio) return;
    const [sound, loudness, begin] = [audio.createOscillator(), audio.createGain(), audio.currentTime];
    sound.frequency.value = pitch;
    loudness.gain.setValueAtTime(0.0001, begin);
    loudness.gain.exponentialRampToValueAtTime(0.3, begin + 0.02);
    loudness.gain.exponentialRampToValueAtTime(0.0001, begin + seconds);
    sound.connect(loudness).connect(audio.destination);
    sound.start(begin);
    sound.stop(begin + seconds + 0.02);
  }
  return {
    ready: context,
    begin: () => {
      context.value = new AudioContext();
      tone(880, 0.2);
    },
    /** Counted, and not. */
    high: () => tone(880, 0.25),
    low: () => tone(300, 0.12),
  };
}
