/** The circle of hues in numbers: angles as Oklab's hues, 0° to the right, rising against the clock. */

/** Side of the drawing, radius of the disc of colours, and of the ring that ranges lie on. */
export const SIDE = 252;
export const DISC = 94;
export const RING = 108;
const MIDDLE = SIDE / 2;

/** By how many degrees a hue lies beyond another, −180 to 180. */
export const apart = (one: number, other: number) => ((((one - other + 180) % 360) + 360) % 360) - 180;

/** A hue turned by degrees, 0 to 360. */
export const turned = (hue: number, by: number) => (((hue + by) % 360) + 360) % 360;

/** Where a hue lies at a radius, in pixels of the drawing. */
export function place(hue: number, radius: number): [number, number] {
  const angle = (hue * Math.PI) / 180;
  return [MIDDLE + radius * Math.cos(angle), MIDDLE - radius * Math.sin(angle)];
}

/** Hue and radius of a place of the drawing. */
export function polar(x: number, y: number): { hue: number; radius: number } {
  const [dx, dy] = [x - MIDDLE, MIDDLE - y];
  return { hue: turned((Math.atan2(dy, dx) * 180) / Math.PI, 0), radius: Math.hypot(dx, dy) };
}

/** Cut off the drawing above and below, where nothing is. */
export const CUT = 5;

/** Hue and radius of a pointer over a drawing of the circle. */
export function polarOf(e: { clientX: number; clientY: number }, svg: SVGSVGElement) {
  const { left, top, width, height } = svg.getBoundingClientRect();
  return polar(((e.clientX - left) / width) * SIDE, CUT + ((e.clientY - top) / height) * (SIDE - 2 * CUT));
}

/** Radius at which a saturation is drawn: even in its root, so that the dull colours of a night are told apart. */
export const radiusOf = (saturation: number, most: number) =>
  DISC * Math.sqrt(Math.min(Math.max(saturation, 0) / most, 1));

/** Saturation drawn at a radius. */
export const saturationAt = (radius: number, most: number) => most * Math.min(Math.max(radius / DISC, 0), 1) ** 2;

/** An arc about a hue, as a path: from a start to an end in degrees. */
export function arcPath(from: number, to: number, radius: number): string {
  const [x0, y0] = place(from, radius);
  const [x1, y1] = place(to, radius);
  const span = to - from;
  if (span >= 359.9) {
    const [xm, ym] = place(from + 180, radius);
    return `M ${f(x0)} ${f(y0)} A ${radius} ${radius} 0 0 0 ${f(xm)} ${f(ym)} A ${radius} ${radius} 0 0 0 ${f(x0)} ${f(y0)}`;
  }
  return `M ${f(x0)} ${f(y0)} A ${radius} ${radius} 0 ${span > 180 ? 1 : 0} 0 ${f(x1)} ${f(y1)}`;
}

/** A sector of a ring, as a closed path. */
export function cellPath(from: number, to: number, inner: number, outer: number): string {
  const [[ax, ay], [bx, by], [cx, cy], [dx, dy]] = [
    place(from, inner),
    place(from, outer),
    place(to, outer),
    place(to, inner),
  ];
  return `M ${f(ax)} ${f(ay)} L ${f(bx)} ${f(by)} A ${f(outer)} ${f(outer)} 0 0 0 ${f(cx)} ${f(cy)} L ${f(dx)} ${f(dy)} A ${f(inner)} ${f(inner)} 0 0 1 ${f(ax)} ${f(ay)} Z`;
}

const f = (v: number) => v.toFixed(2);

/** A colour of a hue as a screen shows it, by the saturation that it stands for. */
export const ink = (hue: number, saturation = 0.2, lightness = 0.74) =>
  `oklch(${lightness} ${(saturation * lightness).toFixed(3)} ${hue.toFixed(1)})`;
