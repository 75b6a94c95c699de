import { expect, test } from "vitest";
import { courseOf, MOST_FRAMES } from "../../../../src/stations/study/deflection/recipe";
import { type Course, placesAt } from "../../../../src/stations/study/modes/motion";

const trace = (values: number[]) => ({ values }) as never;
const over = (values: number[]) => [{ name: "time", unit: "s", values }] as never;

test("moments put each channel onto its point, the largest motion is 1", () => {
  const places = [{ point: 1, way: [0, 0, 1] }, { point: 1, way: [-1, 0, 0] }, null];
  const analysis = { axes: over([0, 0.1, 0.2]), traces: [trace([0, 3, 0]), trace([0, 4, 1]), trace([9, 9, 9])] };
  const course = courseOf(analysis as never, places as never, 2);
  expect(course.seconds).toEqual([0, 0.1, 0.2]);
  expect(course.measured).toEqual([false, true]);
  // The second moment: 4 against x and 3 along z, which is the largest motion there is.
  const second = Array.from(course.moves.slice(6, 12));
  [0, 0, 0, -0.8, 0, 0.6].forEach((x, i) => {
    expect(second[i]).toBeCloseTo(x);
  });
  // A channel that is nowhere on the specimen moves nothing.
  expect(Math.max(...course.moves)).toBeLessThan(1);
});

test("a long stretch is shown by as many moments as are fluent", () => {
  const n = 3 * MOST_FRAMES + 1;
  const analysis = { axes: over(Array.from({ length: n }, (_, k) => k)), traces: [trace(new Array(n).fill(1))] };
  const course = courseOf(analysis as never, [{ point: 0, way: [1, 0, 0] }] as never, 1);
  expect(course.seconds.length).toBeLessThanOrEqual(MOST_FRAMES);
  expect(course.moves.length).toBe(3 * course.seconds.length);
});

test("a moment moves points from where they rest, unmeasured ones only where they may", () => {
  const geometry = {
    points: [
      { name: "1", x: 0, y: 0, z: 0 },
      { name: "2", x: 8, y: 0, z: 0 },
    ],
  };
  const course: Course = { seconds: [0], moves: new Float32Array([0, 0, 1, 0, 0, 0.5]), measured: [true, false] };
  // At size 1 the largest motion is an eighth of the extent: 1.
  const moved = placesAt(geometry as never, course, 0, { size: 1, still: false });
  expect(Array.from(moved.at)).toEqual([0, 0, 1, 8, 0, 0.5]);
  expect(Array.from(moved.far)).toEqual([1, 0.5]);
  const still = placesAt(geometry as never, course, 0, { size: 2, still: true });
  expect(Array.from(still.at)).toEqual([0, 0, 2, 8, 0, 0]);
});
