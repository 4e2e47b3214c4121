import { type Asked, type Said, ViewLine } from "../api/viewLine";
import { tell } from "../state/messages";
import type { Probe } from "../state/view";
import { messageOf } from "./message";

/** A picture, or a part of one, and where it lies in full-size pixels. */
export interface DrawnPart {
  bitmap: ImageBitmap;
  x: number;
  y: number;
  width: number;
  height: number;
}

interface Header extends Omit<DrawnPart, "bitmap"> {
  number: number;
}

/** Asks for pictures beside the main one, on a line of their own: the newest wish counts, one is under way. */
export class LatestRenders {
  private line: ViewLine;
  private next = 1;
  private shown = 0;
  private flying: number | null = null;
  private wish: Asked | null = null;
  private last: Asked | null = null;
  private probing = false;
  private place: [number, number] | null = null;

  constructor(
    private show: (picture: DrawnPart) => void,
    private point: (probe: Probe | null) => void = () => {},
  ) {
    this.line = new ViewLine(
      (data) => void this.receive(data),
      (said) => this.hear(said),
      (open) => {
        this.flying = null;
        this.probing = false;
        if (open && this.last) this.ask(this.last);
      },
    );
  }

  ask(wanted: Asked) {
    this.wish = this.last = wanted;
    this.send();
  }

  /** Ask what lies at a place; nothing where there is none. */
  probe(place: [number, number] | null) {
    this.place = place;
    if (!place) this.point(null);
    else if (!this.probing && this.last) {
      const { prepared, treatment, uncropped } = this.last;
      this.probing = this.line.send({ prepared, treatment, uncropped, probe: place });
    }
  }

  private send() {
    if (this.flying !== null || !this.wish) return;
    const number = this.next++;
    // It draws by places alone: of the map it needs nothing.
    if (!this.line.send({ ...this.wish, number, known: "" })) return;
    this.flying = number;
    this.wish = null;
  }

  private hear(said: Said) {
    if (said.doing) return;
    if (said.lost || said.fault) {
      if (said.number == null) this.probing = false;
      else if (said.number === this.flying) {
        this.flying = null;
        if (said.lost) this.wish ??= this.last;
        this.send();
      }
      if (said.fault && !said.lost) tell(said.fault);
      return;
    }
    const asked = this.place;
    this.probing = false;
    this.point(asked ? ((said.probe as Probe | null | undefined) ?? null) : null);
  }

  private async receive(data: ArrayBuffer) {
    const { header, jpeg } = messageOf<Header>(data);
    if (header.number === this.flying) {
      this.flying = null;
      this.send();
    }
    const bitmap = await createImageBitmap(jpeg);
    if (header.number < this.shown) {
      bitmap.close();
      return;
    }
    this.shown = header.number;
    this.show({ bitmap, x: header.x, y: header.y, width: header.width, height: header.height });
  }

  close() {
    this.line.close();
  }
}
