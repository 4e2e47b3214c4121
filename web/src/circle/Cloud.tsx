import { memo } from "react";

import { cellPath, DISC, ink, saturationAt } from "./polar";

/** The picture's colours on the circle: cells of hue and saturation, the denser the more of the picture lies there. */
export const Cloud = memo(function Cloud({ shares, most }: { shares: number[][]; most: number }) {
  const sectors = shares.length;
  const rings = shares[0]?.length ?? 0;
  const step = 360 / sectors;
  const width = DISC / rings;
  return (
    <g data-testid="cloud">
      {shares.flatMap((row, i) =>
        row.map((share, j) => {
          if (share < 2e-5) return null;
          // The same share of the picture is as dense wherever it lies: outer cells are larger.
          const dense = (share * sectors) / (2 * j + 1);
          const saturation = saturationAt((j + 0.5) * width, most);
          return (
            <path
              key={`${i} ${j}`}
              d={cellPath(i * step, (i + 1) * step, j * width, (j + 1) * width)}
              fill={ink((i + 0.5) * step, Math.min(Math.max(saturation * 1.7, 0.03), 0.26), 0.78)}
              opacity={Math.min(0.25 + 1.8 * dense ** 0.4, 1)}
            />
          );
        }),
      )}
    </g>
  );
});
