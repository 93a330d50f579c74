/**
 * What the detection is held against: five scene-minutes for each of five seeds at five hours of the day.
 * Fixed before the detection was written; a change here is a change of the question, never of the answer.
 */
export const plan = {
  seeds: [11, 23, 37, 58, 71],
  hours: [2.5, 7, 12, 16.5, 19.2],
  minutes: 5,
  framesPerSecond: 5,
  width: 640,
  height: 360,
  /** An event belongs to a walker when it begins while they are on the drive or within this long after. */
  graceMs: 1500,
} as const;
