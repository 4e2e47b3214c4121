import { useEffect, useRef } from "react";

import { Line } from "../api/socket";
import { tell } from "../state/messages";
import { type Probe, useView } from "../state/view";
import type { Box } from "./crop";
import { type MapNodes, PlaneMap, type Point } from "./map";
import { messageOf } from "./message";

export interface Wanted {
  prepared: string;
  treatment: unknown;
  uncropped: boolean;
  view: string;
  /** Index of the area, or of the range of hues, that views of them show. */
  index: number | null;
  /** Index of the part of the area that is shown alone. */
  piece: number | null;
  /** x, y, width and height in full-size pixels; null for all of the picture, as large as fits and `most` allows. */
  part: [number, number, number, number] | null;
  out_width: number;
  out_height: number;
  most: number;
  coarse: boolean;
}

export interface Rendered {
  number: number;
  bitmap: ImageBitmap;
  x: number;
  y: number;
  width: number;
  height: number;
  map: PlaneMap;
}

/** What the server says of a picture. */
interface Header {
  number: number;
  x: number;
  y: number;
  width: number;
  height: number;
  /** Width and height of the whole picture. */
  picture: Point;
  /** The map, or the name of the one that is known. */
  map: MapNodes | string;
  crop: [number, number, number, number] | null;
  outline: Point[] | null;
  room: Point[] | null;
  ladder: [number, number][];
  tones: [number, number][];
  limits: { white: number; some: number; black: number };
  ms: number;
}

const boxOf = ([x, y, width, height]: [number, number, number, number]): Box => ({ x, y, width, height });

/** Asks the server for pictures, one at a time; a newer wish replaces one that has not been sent. */
export class Renders {
  private line: Line;
  private next = 1;
  private flying: number | null = null;
  private wish: Wanted | null = null;
  private last: Wanted | null = null;
  private map: PlaneMap | null = null;
  private probing = false;
  private probeWish: object | null = null;
  /** Whether the pointer is on the picture still: an answer that comes later is none of it. */
  private pointing = false;

  constructor(private show: (r: Rendered) => void) {
    this.line = new Line(
      "/api/view",
      (data) => void this.receive(data),
      (open) => {
        this.flying = null;
        this.probing = false;
        if (open && (this.wish ?? this.last)) this.ask(this.wish ?? this.last!);
      },
    );
  }

  ask(wanted: Wanted) {
    this.wish = wanted;
    this.last = wanted;
    useView.setState({ rendering: true });
    this.send();
  }

  probe(request: object | null) {
    this.probeWish = request;
    this.pointing = request !== null;
    if (!request) {
      useView.setState({ probe: null });
      return;
    }
    if (!this.probing && this.line.send(request)) {
      this.probing = true;
      this.probeWish = null;
    }
  }

  private send() {
    if (this.flying !== null || !this.wish) return;
    const number = this.next++;
    if (!this.line.send({ ...this.wish, number, known: this.map?.name ?? "" })) return;
    this.flying = number;
    this.wish = null;
  }

  private async receive(data: string | ArrayBuffer) {
    if (typeof data === "string") {
      const told = JSON.parse(data) as { probe?: Probe | null; fault?: string; number?: number };
      if (told.fault) {
        if (told.number != null) this.flying = null;
        else this.probing = false;
        useView.setState({ rendering: false });
        tell(told.fault);
        this.send();
        return;
      }
      this.probing = false;
      if (this.probeWish) this.probe(this.probeWish);
      else if (this.pointing) useView.setState({ probe: told.probe ?? null });
      return;
    }
    const { header, jpeg } = messageOf<Header>(data);
    // A picture may come twice: once more when noise has been taken out of it.
    if (header.number === this.flying) this.flying = null;
    if (typeof header.map !== "string") this.map = new PlaneMap(header.map, { width: header.picture[0], height: header.picture[1] });
    const map = this.map!;
    this.send();
    const bitmap = await createImageBitmap(jpeg);
    this.show({ number: header.number, bitmap, x: header.x, y: header.y, width: header.width, height: header.height, map });
    useView.setState({
      map,
      crop: header.crop && boxOf(header.crop),
      outline: header.outline,
      room: header.room,
      ladder: header.ladder,
      tones: header.tones,
      limits: header.limits,
      ms: header.ms,
      rendering: this.flying !== null || this.wish !== null,
    });
  }

  close() {
    this.line.close();
  }
}

export function useRenders(show: (r: Rendered) => void) {
  const shown = useRef(show);
  shown.current = show;
  const renders = useRef<Renders | null>(null);
  useEffect(() => {
    const made = new Renders((r) => shown.current(r));
    renders.current = made;
    return () => made.close();
  }, []);
  return renders;
}
