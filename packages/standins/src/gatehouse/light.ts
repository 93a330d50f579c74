/** The light over the scene at one moment. */
export interface Light {
  /** The camera has gone over to its infrared lamp: the picture is grey. */
  readonly night: boolean;
  /** What each colour is multiplied by. */
  readonly gain: readonly [red: number, green: number, blue: number];
  /** Strength of the sun's shadows, 0 to 1. */
  readonly sun: number;
  /** Standard deviation of the sensor's noise in grey levels of 255. */
  readonly noise: number;
}

const sunrise = 6.5;
const sunset = 19.5;

/** The light at an hour of the day (0 to 24) and a scene time in ms: clouds drift over it within half a minute. */
export function lightAt(hour: number, t: number, seed: number): Light {
  const s = t / 1000;
  const clouds = 0.5 * Math.sin(s / 11 + seed) + 0.3 * Math.sin(s / 5.3 + seed * 2.1) + 0.2 * Math.sin(s / 29 + seed * 0.7);
  const height = Math.sin(((hour - sunrise) / (sunset - sunrise)) * Math.PI);
  if (hour < sunrise || hour > sunset) {
    const flicker = 1 + 0.01 * Math.sin(s * 1.7 + seed);
    return { night: true, gain: [0.62 * flicker, 0.62 * flicker, 0.62 * flicker], sun: 0, noise: 6 };
  }
  const day = Math.min(1, 0.5 + 0.62 * Math.max(0, height));
  const warm = 1 - Math.min(1, height * 2);
  const cloudy = 1 + 0.13 * clouds * Math.min(1, height * 1.6);
  return {
    night: false,
    gain: [day * cloudy * (1 + 0.16 * warm), day * cloudy, day * cloudy * (1 - 0.14 * warm)],
    sun: Math.max(0, height) * (0.6 + 0.4 * clouds),
    noise: 1.8 + 2.6 * warm,
  };
}
