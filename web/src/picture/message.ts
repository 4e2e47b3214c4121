/** What the picture's line sends: the length of a header (4 bytes, the lowest first), the header as JSON, and a JPEG. */
export interface Message<Header> {
  header: Header;
  jpeg: Blob;
}

/** A message of the picture's line, taken apart. */
export function messageOf<Header>(data: ArrayBuffer): Message<Header> {
  const length = new DataView(data).getUint32(0, true);
  const header = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, length))) as Header;
  return { header, jpeg: new Blob([new Uint8Array(data, 4 + length)], { type: "image/jpeg" }) };
}

/** Put a picture on a canvas, which becomes as large as it; false if the canvas is gone. */
export function put(canvas: HTMLCanvasElement | null | undefined, bitmap: ImageBitmap): boolean {
  if (canvas) {
    canvas.width = bitmap.width;
    canvas.height = bitmap.height;
    canvas.getContext("2d")!.drawImage(bitmap, 0, 0);
  }
  bitmap.close();
  return !!canvas;
}

/** `put` of a JPEG. */
export async function drawOn(canvas: () => HTMLCanvasElement | null | undefined, jpeg: Blob): Promise<boolean> {
  const bitmap = await createImageBitmap(jpeg);
  return put(canvas(), bitmap);
}
