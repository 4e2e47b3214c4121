import type { Output } from "../../api/client";
import { isPq, stopsOf } from "../../state/delivering";

export const FORMATS: Record<Output["format"], { title: string; about: string }> = {
  jpg: { title: "JPEG", about: "8 bits" },
  avif: { title: "AVIF", about: "8 bits, smaller" },
  webp: { title: "WebP", about: "8 bits, smaller" },
  png: { title: "PNG", about: "8 or 16 bits" },
  tif: { title: "TIFF", about: "8 or 16 bits" },
  exr: { title: "OpenEXR", about: "scene-linear Rec. 2020, before the display" },
  dng: { title: "DNG", about: "the merged light, untreated, for any raw developer" },
};
export const SPACES: Record<Output["space"], string> = {
  srgb: "sRGB",
  p3: "Display P3",
  oprgb: "opRGB",
  romm: "ROMM RGB",
  rec2020: "Rec. 2020",
};
/** Whether it holds light, and no picture. */
export const isOfLight = (o: Output) => o.format === "exr" || o.format === "dng";
export const isLossy = (o: Output) => ["jpg", "avif", "webp"].includes(o.format);
export const hasBits = (o: Output) => o.format === "png" || o.format === "tif";

/** How large an output is, in words. */
export function sizeIn({ size }: Output): string {
  return {
    full: "full size",
    pixels: `${size.pixels} px`,
    print: `${size.cm} cm at ${size.dpi} dpi`,
    share: `${size.share} %`,
    megapixels: `${size.megapixels} MP`,
  }[size.by];
}

/** An output in a few words. */
export function inWords(o: Output): string {
  const more = isOfLight(o) ? (o.half ? ["16 bits"] : []) : isPq(o) ? [] : [o.profile ?? SPACES[o.space]];
  if (hasBits(o) && o.bits === 8 && !isPq(o)) more.push("8 bits");
  if (stopsOf(o) !== null) more.push(`HDR +${stopsOf(o)}`);
  // Of what was delivered by an earlier version less is told.
  return [FORMATS[o.format].title, sizeIn(o), ...more].filter(Boolean).join(", ");
}
