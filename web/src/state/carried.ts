import { answered, api } from "../api/client";
import { tell } from "./messages";
import { preview, store, toldHere, useScene } from "./scene";

const [BEGINS, ENDS] = ["<x:xmpmeta", "</x:xmpmeta>"];
/** Bytes of a file that are looked through at once. */
const PIECE = 8 << 20;

/** The XMP packet of a delivered file, wherever in it that lies; null if there is none. */
export async function packetOf(file: Blob): Promise<string | null> {
  let begun: string | null = null;
  // What hangs over from one piece to the next: a mark may be cut in two.
  let rest = "";
  for (let at = 0; at < file.size; at += PIECE) {
    const bytes = new Uint8Array(await file.slice(at, at + PIECE).arrayBuffer());
    const text: string = rest + new TextDecoder("latin1").decode(bytes);
    if (begun === null) {
      const found = text.indexOf(BEGINS);
      if (found < 0) {
        rest = text.slice(-BEGINS.length);
        continue;
      }
      begun = text.slice(found);
    } else begun += text.slice(rest.length);
    rest = "";
    const end = begun.indexOf(ENDS);
    if (end >= 0) {
      const codes = Uint8Array.from(begun.slice(0, end + ENDS.length), (c) => c.charCodeAt(0));
      return new TextDecoder().decode(codes);
    }
  }
  return null;
}

/** Do again what was done to a file that was delivered. */
export async function takeUp(file: File) {
  const { scene, treatment } = useScene.getState();
  if (!scene || !treatment) return;
  const packet = await packetOf(file);
  if (packet === null) return tell(`${file.name} does not tell what was done to it.`);
  const next = await toldHere(
    answered(
      api.POST("/api/scenes/{scene_id}/carried", {
        params: { path: { scene_id: scene.id } },
        body: { name: file.name.slice(0, 300), packet },
      }),
    ),
  );
  if (!next || useScene.getState().treatment !== treatment) return;
  if (JSON.stringify(next) === JSON.stringify(treatment))
    return tell(`${file.name} was treated as this is already.`, "note");
  preview(() => next);
  store(`As in ${file.name}`.slice(0, 200));
}
