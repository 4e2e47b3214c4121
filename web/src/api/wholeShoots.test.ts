import { expect, test } from "vitest";

import type { Shoot } from "./client";
import { wholeShoots } from "./wholeShoots";

const shoot = (id: number, ...scenes: number[]) =>
  ({ id, count: 9, scenes: scenes.map((scene) => ({ id: scene })) }) as unknown as Shoot;

test("a shoot on several pages is there once, each of its scenes as well", () => {
  const whole = wholeShoots([
    [shoot(3, 1, 2), shoot(2, 3)],
    [shoot(2, 3, 4), shoot(1, 5)],
  ]);
  expect(whole.map((s) => [s.id, ...s.scenes.map((scene) => scene.id)])).toEqual([
    [3, 1, 2],
    [2, 3, 4],
    [1, 5],
  ]);
});
