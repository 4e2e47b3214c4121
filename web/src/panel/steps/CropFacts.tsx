import { Button, MenuItem, Select } from "@mui/material";

import { GUIDES } from "../../picture/guides";
import { useCrop, useCropping } from "../../state/cropping";
import { preview, store, useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { number } from "../../units";
import { OwnRatio } from "./OwnRatio";

/** Pixels of a print per inch, and centimetres of one. */
const DPI = 240;
const INCH = 2.54;

/** What the crop comes to, the guides drawn in it, and the way back to the whole. */
export function CropFacts() {
  const crop = useCrop();
  const guide = useCropping((s) => s.guide);
  // Once all of the picture is in view, no crop in it means that it cannot be.
  const seen = useView((s) => s.outline !== null);
  const nothing = useScene((s) => s.treatment?.crop.on) && seen;
  const set = useScene(
    (s) => s.treatment?.crop.width != null || s.treatment?.crop.height != null || s.treatment?.crop.centre != null,
  );
  const back = () => {
    preview((t) => ({ ...t, crop: { ...t.crop, centre: null, width: null, height: null } }));
    store("Crop as large as fits");
  };
  return (
    <>
      <OwnRatio />
      <div className="choice">
        <span>Guides</span>
        <Select
          size="small"
          variant="standard"
          value={guide}
          inputProps={{ "aria-label": "Guides" }}
          onChange={(e) => useCropping.setState({ guide: e.target.value })}
        >
          {Object.entries(GUIDES).map(([name, { title }]) => (
            <MenuItem key={name} value={name}>
              {title}
            </MenuItem>
          ))}
        </Select>
      </div>
      {crop ? (
        <dl className="facts" data-testid="crop-facts">
          <dt>Picture</dt>
          <dd>
            {Math.round(crop.width)} × {Math.round(crop.height)} px
          </dd>
          <dt>Print at {DPI} dpi</dt>
          <dd>
            {number((crop.width / DPI) * INCH, 1)} × {number((crop.height / DPI) * INCH, 1)} cm
          </dd>
        </dl>
      ) : (
        nothing && <p className="fault">This crop leaves nothing of the picture.</p>
      )}
      {set && (
        <Button size="small" variant="outlined" color="inherit" className="below" onClick={back}>
          As large as fits
        </Button>
      )}
    </>
  );
}
