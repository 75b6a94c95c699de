/**
 * What is heard of a hit, told apart without looking: one knock, two low ones, a chime, three notes that rise; four
 * that fall when something is wrong that no hit tells of.
 */
import { shared } from "../../../ui/shared";

export type Heard = "good" | "bad" | "point_done" | "all_done" | "look";

/** Notes of a sound: frequency in Hz, when it begins and how long it lasts, s. */
export const notes: Record<Heard, [number, number, number][]> = {
  good: [[880, 0, 0.09]],
  bad: [
    [196, 0, 0.14],
    [196, 0.2, 0.14],
  ],
  point_done: [
    [659, 0, 0.12],
    [988, 0.12, 0.3],
  ],
  all_done: [
    [523, 0, 0.14],
    [659, 0.15, 0.14],
    [1047, 0.3, 0.5],
  ],
  look: [
    [784, 0, 0.16],
    [587, 0.18, 0.16],
    [440, 0.36, 0.16],
    [330, 0.54, 0.4],
  ],
};

const KEPT = "tap sounds";
const on = shared(localStorage.getItem(KEPT) !== "off");

/** Whether sounds are played, and a switch for it. */
export const useSounds = (): [boolean, (to: boolean) => void] => [
  on.use(),
  (to) => {
    localStorage.setItem(KEPT, to ? "on" : "off");
    on.set(to);
  },
];

let audio: AudioContext | undefined;

/** Plays a sound, where sounds are on and the browser lets it. */
export function play(heard: Heard) {
  if (!on.get()) return;
  try {
    audio ??= new AudioContext();
    void audio.resume();
    for (const [hz, after, lasts] of notes[heard]) {
      const from = audio.currentTime + after;
      const tone = audio.createOscillator();
      const loud = audio.createGain();
      tone.frequency.setValueAtTime(hz, from);
      loud.gain.setValueAtTime(0.5, from);
      // It dies away, so that it does not click at its end.
      loud.gain.exponentialRampToValueAtTime(0.001, from + lasts);
      tone.connect(loud).connect(audio.destination);
      tone.start(from);
      tone.stop(from + lasts);
    }
  } catch {
    // A browser without sound shows everything all the same.
  }
}
