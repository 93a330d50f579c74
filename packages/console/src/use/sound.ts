import { ref } from 'vue';

const wanted = ref(localStorage.getItem('causalis-sound') === 'on');
let context: AudioContext | undefined;

/** Two short tones, the second higher: heard across a room, over before anybody is startled. */
function play(): void {
  context ??= new AudioContext();
  const begin = context.currentTime;
  for (const [at, pitch] of [
    [0, 660],
    [0.18, 880],
  ]) {
    const tone = context.createOscillator();
    const loudness = context.createGain();
    tone.frequency.value = pitch;
    loudness.gain.setValueAtTime(0.0001, begin + at);
    loudness.gain.exponentialRampToValueAtTime(0.25, begin + at + 0.02);
    loudness.gain.exponentialRampToValueAtTime(0.0001, begin + at + 0.16);
    tone.connect(loudness).connect(context.destination);
    tone.start(begin + at);
    tone.stop(begin + at + 0.17);
  }
}

/** The sound of urgent firings: off until somebody wants it, because a browser plays nothing before a click. */
export function useSound() {
  return {
    sound: wanted,
    toggleSound: () => {
      wanted.value = !wanted.value;
      localStorage.setItem('causalis-sound', wanted.value ? 'on' : 'off');
      if (wanted.value) play();
    },
    ring: () => {
      if (wanted.value) play();
    },
  };
}
