import type { Shoot } from "./client";

/** Pages of shoots as one: a shoot whose scenes lie on several pages is there once. */
export function wholeShoots(pages: Shoot[][]): Shoot[] {
  const whole: Shoot[] = [];
  for (const shoot of pages.flat()) {
    const last = whole[whole.length - 1];
    // A scene may have moved from one page to the next between two questions.
    if (last?.id !== shoot.id) whole.push(shoot);
    else {
      const there = new Set(last.scenes.map((scene) => scene.id));
      const added = shoot.scenes.filter((scene) => !there.has(scene.id));
      whole[whole.length - 1] = { ...shoot, scenes: [...last.scenes, ...added] };
    }
  }
  return whole;
}
