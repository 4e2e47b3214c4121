import { describe, expect, it } from "vitest";

import { packetOf } from "./carried";

const packet = "<x:xmpmeta xmlns:x='adobe:ns:meta/'>späte Stunde</x:xmpmeta>";
const file = (...parts: (string | Uint8Array<ArrayBuffer>)[]) => new Blob(parts);

describe("the packet of a delivered file", () => {
  it("is found between bytes of any kind", async () => {
    const noise = Uint8Array.from({ length: 5000 }, (_, i) => (i * 37) % 256);
    expect(await packetOf(file(noise, packet, noise))).toBe(packet);
    expect(await packetOf(file(noise))).toBeNull();
    expect(await packetOf(file("<x:xmpmeta never ended"))).toBeNull();
  });
  it("is found where it is cut in two", async () => {
    for (const cut of [5, 20, packet.length])
      expect(await packetOf(file(new Uint8Array((8 << 20) - cut), packet, "rest"))).toBe(packet);
  });
});
