import { describe, expect, it } from "vitest";

import { messageOf } from "./message";

describe("a message of the picture's line", () => {
  it("is a header and a picture", async () => {
    const header = new TextEncoder().encode(JSON.stringify({ number: 7, view: "mühle" }));
    const data = new Uint8Array(4 + header.length + 3);
    new DataView(data.buffer).setUint32(0, header.length, true);
    data.set(header, 4);
    data.set([9, 8, 7], 4 + header.length);
    const message = messageOf<{ number: number; view: string }>(data.buffer);
    expect(message.header).toEqual({ number: 7, view: "mühle" });
    expect(new Uint8Array(await message.jpeg.arrayBuffer())).toEqual(new Uint8Array([9, 8, 7]));
    expect(message.jpeg.type).toBe("image/jpeg");
  });
});
