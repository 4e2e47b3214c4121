import { telling } from "../state/difference";
import type { Treatment } from "./client";
import { Line } from "./socket";

/** What is asked on the picture's line, about a treatment. */
export type Asked = { treatment: Treatment } & Record<string, unknown>;

/** What the line says in words instead of a picture. */
export interface Said {
  probe?: unknown;
  fault?: string;
  number?: number | null;
  /** Whether the server has lost track of the treatment and must be told the whole. */
  lost?: boolean;
  /** What takes long, and how far it is, 0 to 1. */
  doing?: string;
  share?: number;
}

/** The picture's line: it tells the whole treatment once, and from then on what is other by now. */
export class ViewLine {
  private line: Line;
  /** The treatment that the server has. */
  private told: Treatment | null = null;

  constructor(
    onPicture: (data: ArrayBuffer) => void,
    onSaid: (said: Said) => void,
    onState: (open: boolean) => void = () => {},
  ) {
    this.line = new Line(
      "/api/view",
      (data) => {
        if (typeof data !== "string") return onPicture(data);
        const said = JSON.parse(data) as Said;
        if (said.fault) this.told = null;
        onSaid(said);
      },
      (open) => {
        this.told = null;
        onState(open);
      },
    );
  }

  send(asked: Asked): boolean {
    const { treatment, ...rest } = asked;
    const sent = this.line.send({ ...rest, ...telling(this.told, treatment) });
    if (sent) this.told = treatment;
    return sent;
  }

  close() {
    this.line.close();
  }
}
