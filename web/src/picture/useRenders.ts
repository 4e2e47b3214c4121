import { useEffect, useRef } from "react";

import type { Treatment } from "../api/client";
import { type Asked, type Said, ViewLine } from "../api/viewLine";
import { tell } from "../state/messages";
import type { Proof } from "../state/proofing";
import { type Probe, useView } from "../state/view";
import type { Box } from "./crop";
import { type MapNodes, PlaneMap, type Point } from "./map";
import { messageOf } from "./message";

export interface Wanted extends Record<string, unknown> {
  prepared: string;
  treatment: Treatment;
  uncropped: boolean;
  view: string;
  /** Id of the area that views of one show, and of the part of it that is shown alone. */
  area: string | null;
  piece: string | null;
  /** Name of the range of hues that its view shows. */
  range: string | null;
  /** x, y, width and height in full-size pixels; null for all of the picture, as large as fits and `most` allows. */
  part: [number, number, number, number] | null;
  out_width: number;
  out_height: number;
  most: number;
  coarse: boolean;
  /** SRGB codes of the colour that a mask is washed in. */
  ink: [number, number, number] | null;
  /** Id of the area whose tones are counted. */
  within: string | null;
  /** For which device the picture is proofed, if it is. */
  proof: Proof | null;
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
  bins: Record<"luminance" | "red" | "green" | "blue", number[]>;
  limits: { white: number; some: number; black: number };
  ms: number;
}

const boxOf = ([x, y, width, height]: [number, number, number, number]): Box => ({ x, y, width, height });

/** After so long a picture is said to take long, in ms. */
const LONG = 2000;

/** Asks the server for pictures. While something is dragged one at a time; a newer wish replaces one that was not sent. */
export class Renders {
  private line: ViewLine;
  private next = 1;
  /** The request that is under way. */
  private flying: { number: number; coarse: boolean } | null = null;
  private wish: Wanted | null = null;
  private last: Wanted | null = null;
  private map: PlaneMap | null = null;
  /** Number of the newest picture that is shown. */
  private shown = 0;
  private probing = false;
  private probeWish: Asked | null = null;
  /** Whether the pointer is on the picture still: an answer that comes later is none of it. */
  private pointing = false;
  private patience: ReturnType<typeof setTimeout> | undefined;

  constructor(private show: (r: Rendered) => void) {
    this.line = new ViewLine(
      (data) => void this.receive(data),
      (said) => this.hear(said),
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

  probe(request: Asked | null) {
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
    // A fine picture that is under way is given up for a newer wish; a coarse one is shown first.
    if (this.flying?.coarse || !this.wish) return;
    const number = this.next++;
    if (!this.line.send({ ...this.wish, number, known: this.map?.name ?? "" })) return;
    this.flying = { number, coarse: this.wish.coarse };
    this.wish = null;
    clearTimeout(this.patience);
    this.patience = setTimeout(() => useView.setState({ slow: this.flying !== null }), LONG);
  }

  /** Nothing is under way any more: what is wished for is asked. */
  private landed() {
    this.flying = null;
    clearTimeout(this.patience);
    useView.setState({ slow: false, doing: null });
    this.send();
  }

  /** Tell whether anything is under way, once what came is shown. */
  private settle() {
    useView.setState({ rendering: this.flying !== null || this.wish !== null });
  }

  private hear(said: Said) {
    if (said.doing) {
      if (this.flying) useView.setState({ doing: { what: said.doing, share: said.share ?? 0 } });
      return;
    }
    if (said.lost) {
      // Asked once more, the line tells the whole treatment.
      if (said.number == null) this.probing = false;
      else if (said.number === this.flying?.number) {
        this.flying = null;
        this.wish ??= this.last;
        this.send();
      }
      return;
    }
    if (said.fault) {
      if (said.number == null) this.probing = false;
      else if (said.number === this.flying?.number) this.landed();
      else return;
      this.settle();
      tell(said.fault);
      return;
    }
    this.probing = false;
    if (this.probeWish) this.probe(this.probeWish);
    else if (this.pointing) useView.setState({ probe: (said.probe as Probe | null | undefined) ?? null });
  }

  private async receive(data: ArrayBuffer) {
    let message;
    try {
      message = messageOf<Header>(data);
    } catch {
      // A message that cannot be read ends nothing: the next one may.
      tell("A picture could not be read.");
      this.landed();
      this.settle();
      return;
    }
    const { header, jpeg } = message;
    if (typeof header.map !== "string")
      this.map = new PlaneMap(header.map, { width: header.picture[0], height: header.picture[1] });
    const map = this.map!;
    // A picture may come twice: once more when noise has been taken out of it.
    if (header.number === this.flying?.number) this.landed();
    const bitmap = await createImageBitmap(jpeg);
    // Pictures may be decoded in another order than they came.
    if (header.number < this.shown) {
      bitmap.close();
      return;
    }
    this.shown = header.number;
    this.show({
      number: header.number,
      bitmap,
      x: header.x,
      y: header.y,
      width: header.width,
      height: header.height,
      map,
    });
    useView.setState({
      map,
      crop: header.crop && boxOf(header.crop),
      outline: header.outline,
      room: header.room,
      ladder: header.ladder,
      tones: header.tones,
      bins: header.bins,
      limits: header.limits,
      ms: header.ms,
    });
    this.settle();
  }

  close() {
    clearTimeout(this.patience);
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
