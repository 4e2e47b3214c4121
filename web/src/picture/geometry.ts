/** How the picture lies in its pane: full-size pixels to pane pixels. */
export interface Placing {
  /** Pane pixels per full-size pixel. */
  zoom: number;
  /** Pane position of the picture's corner. */
  left: number;
  top: number;
}

export interface Size {
  width: number;
  height: number;
}

/** Room left about a fitted picture, in CSS pixels. */
export const MARGIN = 18;
/** A fitted picture is enlarged at most so much. */
export const MOST = 4;

export function fitted(picture: Size, pane: Size): number {
  return Math.min((pane.width - 2 * MARGIN) / picture.width, (pane.height - 2 * MARGIN) / picture.height, MOST);
}

/** Place the picture in the pane; the centre is kept where the picture fills it. */
export function place(picture: Size, pane: Size, zoom: number | null, centre: [number, number] | null): Placing {
  const z = zoom ?? fitted(picture, pane);
  const axis = (full: number, room: number, at: number) => {
    const long = full * z;
    if (long <= room) return (room - long) / 2;
    return Math.min(0, Math.max(room - long, room / 2 - at * z));
  };
  const [cx, cy] = centre ?? [picture.width / 2, picture.height / 2];
  return { zoom: z, left: axis(picture.width, pane.width, cx), top: axis(picture.height, pane.height, cy) };
}

/** The part of the picture that the pane shows, on whole full-size pixels, and its size on screen. */
export function visible(picture: Size, pane: Size, p: Placing) {
  const x = Math.max(0, Math.floor(-p.left / p.zoom));
  const y = Math.max(0, Math.floor(-p.top / p.zoom));
  const right = Math.min(picture.width, Math.ceil((pane.width - p.left) / p.zoom));
  const bottom = Math.min(picture.height, Math.ceil((pane.height - p.top) / p.zoom));
  return { x, y, width: Math.max(right - x, 1), height: Math.max(bottom - y, 1) };
}
