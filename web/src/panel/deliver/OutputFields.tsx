import type { Output } from "../../api/client";
import { useProfiles } from "../../api/queries";
import { shareAbove, stopOfEv } from "../../ladder/aboveWhite";
import { changeOutput, HDR, holdsBeyond, isPq, sizeOf } from "../../state/delivering";
import { useScene } from "../../state/scene";
import { useView } from "../../state/view";
import { percent } from "../../units";
import { Folded } from "../Folded";
import { BorderFields } from "./BorderFields";
import { ChoiceRow, NumberRow, SwitchRow, TextRow } from "./rows";
import { FORMATS, hasBits, isLossy, isOfLight, SPACES } from "./words";

const FORMAT_NAMES = Object.entries(FORMATS).map(([name, f]): [Output["format"], string] => [
  name as Output["format"],
  f.title,
]);
const SIZES = {
  full: "Full size",
  pixels: "Long edge in px",
  print: "Print",
  share: "Share",
  megapixels: "Megapixels",
} as const;
const SHARPEN = { none: "Nothing", screen: "Screen", glossy: "Glossy print", matt: "Matt print" } as const;
const COLOUR = { auto: "By quality", full: "4:4:4", halved: "4:2:0" } as const;
const BITS: [8 | 16, string][] = [
  [8, "8"],
  [16, "16"],
];

/** What one file is to be like. */
export function OutputFields({ output }: { output: Output }) {
  const { format, about } = output;
  const picture = !isOfLight(output);
  // Files have RGB: profiles of inks are for proofs alone.
  const own = (useProfiles().data ?? [])
    .filter((p) => p.space === "RGB")
    .map(({ name }): [string, string] => [name, name]);
  const spaces: [string, string][] = [...Object.entries(SPACES), ...own];
  const tell = (change: Partial<typeof about>) => changeOutput({ about: { ...about, ...change } });
  const toldOf = [about.title, about.caption, about.creator, about.copyright].filter((text) => text !== "").length;
  return (
    <>
      <ChoiceRow label="Format" value={format} choices={FORMAT_NAMES} set={(next) => changeOutput({ format: next })} />
      <p className="dim">{FORMATS[format].about}</p>
      <SizeRows output={output} />
      {holdsBeyond(output) && <BeyondRows output={output} />}
      {picture && !isPq(output) && (
        <ChoiceRow
          label="Space"
          value={output.profile ?? output.space}
          choices={spaces}
          set={(name) =>
            changeOutput(name in SPACES ? { space: name as Output["space"], profile: null } : { profile: name })
          }
        />
      )}
      {hasBits(output) && !isPq(output) && (
        <ChoiceRow label="Bits" value={output.bits} choices={BITS} set={(bits) => changeOutput({ bits })} />
      )}
      {!picture && (
        <SwitchRow
          label="Numbers of 16 bits"
          title="Half the size; enough for most scenes"
          on={output.half}
          set={(half) => changeOutput({ half })}
        />
      )}
      {format === "tif" && (
        <SwitchRow
          label="Areas as pages"
          title="The mask of each area, by its name, for further work elsewhere"
          on={output.areas}
          set={(areas) => changeOutput({ areas })}
        />
      )}
      {isLossy(output) && (
        <>
          <NumberRow
            label="Quality, 1–100"
            value={output.quality}
            low={1}
            high={100}
            whole
            set={(quality) => changeOutput({ quality: quality ?? 92 })}
          />
          <NumberRow
            label="At most"
            unit="kB"
            value={output.most_kb ?? null}
            low={5}
            high={1_000_000}
            whole
            nothing="any"
            set={(most_kb) => changeOutput({ most_kb })}
          />
        </>
      )}
      {(format === "jpg" || format === "avif") && (
        <ChoiceRow label="Colour" value={output.colour} choices={COLOUR} set={(colour) => changeOutput({ colour })} />
      )}
      {format === "jpg" && (
        <SwitchRow
          label="Progressive"
          title="Seen coarse first while it is loaded"
          on={output.progressive}
          set={(progressive) => changeOutput({ progressive })}
        />
      )}
      {picture && (
        <>
          <ChoiceRow
            label="Sharpen for"
            value={output.sharpen}
            choices={SHARPEN}
            set={(sharpen) => changeOutput({ sharpen })}
          />
          {output.sharpen !== "none" && (
            <NumberRow
              label="Strength"
              unit="%"
              value={output.sharpening}
              low={0}
              high={200}
              set={(sharpening) => changeOutput({ sharpening: sharpening ?? 100 })}
            />
          )}
          <BorderFields border={output.border ?? null} set={(border) => changeOutput({ border })} />
        </>
      )}
      <Folded name="output-about" title="In the file" aside={toldOf ? `${toldOf} told` : undefined}>
        <TextRow label="Name" value={output.name} set={(name) => name !== "" && changeOutput({ name })} />
        <p className="dim">
          {"{title} {shoot} {take} {date} {width} {height} {space} {set} {number} {place} stand for what they say."}
        </p>
        {picture && (
          <>
            <TextRow label="Title" value={about.title} set={(title) => tell({ title })} />
            <TextRow label="Caption" value={about.caption} set={(caption) => tell({ caption })} />
            <TextRow label="Made by" value={about.creator} set={(creator) => tell({ creator })} />
            <TextRow label="Rights" value={about.copyright} set={(copyright) => tell({ copyright })} />
            <SwitchRow label="Camera and lens" on={about.camera} set={(camera) => tell({ camera })} />
            <SwitchRow label="Exposure" on={about.exposure} set={(exposure) => tell({ exposure })} />
            <SwitchRow label="Time" on={about.time} set={(time) => tell({ time })} />
            <SwitchRow
              label="Place"
              title="Where it was taken, if the reference frame tells"
              on={about.position}
              set={(position) => tell({ position })}
            />
            <SwitchRow
              label="What was done"
              title="The treatment itself, so that it can be done again"
              on={about.treatment}
              set={(treatment) => tell({ treatment })}
            />
          </>
        )}
      </Folded>
    </>
  );
}

/** What is told of a file that holds what is above white. */
const HELD = {
  jpg: "shown as ever where screens reach no farther; beside it a gain map (ISO 21496-1)",
  avif: "Rec. 2100 PQ, 10 bits",
  png: "Rec. 2100 PQ, 16 bits",
} as Partial<Record<Output["format"], string>>;

function BeyondRows({ output }: { output: Output }) {
  const stops = output.hdr ?? null;
  return (
    <>
      <SwitchRow
        label="Lamps above white (HDR)"
        title="On screens that can, lamps are brighter than the white of paper"
        on={stops !== null}
        set={(on) => changeOutput({ hdr: on ? HDR.usual : null })}
      />
      {stops !== null && (
        <>
          <NumberRow
            label="Lamps up to"
            unit="stops"
            value={stops}
            low={HDR.low}
            high={HDR.high}
            set={(hdr) => changeOutput({ hdr: hdr ?? HDR.usual })}
          />
          <p className="dim">{HELD[output.format]}</p>
          <AboveIt stops={stops} />
        </>
      )}
    </>
  );
}

/** How much of the picture has room above white, and how much beyond it. */
function AboveIt({ stops }: { stops: number }) {
  const report = useScene((s) => s.scene?.report);
  const lines = useView((s) => s.ladder);
  const tones = useView((s) => s.tones);
  const [white, peak] = [0, stops].map((ev) => stopOfEv(lines, tones, ev));
  if (!report || white === null || peak === null) return null;
  return (
    <p className="dim" data-testid="above-white">
      {percent(shareAbove(report, white))} of the picture lies above white, {percent(shareAbove(report, peak))} beyond
      that
    </p>
  );
}

/** Numbers that a size is told by. */
const NUMBERS: Record<
  keyof typeof SIZES,
  { name: SizeName; label: string; unit: string; low: number; high: number }[]
> = {
  full: [],
  pixels: [{ name: "pixels", label: "Long edge", unit: "px", low: 16, high: 65500 }],
  print: [
    { name: "cm", label: "Long edge", unit: "cm", low: 1, high: 1000 },
    { name: "dpi", label: "Dots per inch", unit: "dpi", low: 10, high: 2400 },
  ],
  share: [{ name: "share", label: "Of each side", unit: "%", low: 1, high: 400 }],
  megapixels: [{ name: "megapixels", label: "Pixels", unit: "MP", low: 0.001, high: 2000 }],
};
type SizeName = "pixels" | "cm" | "dpi" | "share" | "megapixels";

function SizeRows({ output }: { output: Output }) {
  const { size } = output;
  const full = useView((s) => s.map?.size ?? null);
  const change = (next: Partial<typeof size>) => changeOutput({ size: { ...size, ...next } });
  const made = full && sizeOf(output, full);
  return (
    <>
      <ChoiceRow label="Size" value={size.by} choices={SIZES} set={(by) => change({ by })} />
      {NUMBERS[size.by].map(({ name, ...number }) => (
        <NumberRow
          key={name}
          {...number}
          value={size[name]}
          whole={name === "pixels" || name === "dpi"}
          set={(value) => change({ [name]: value ?? size[name] })}
        />
      ))}
      {size.by !== "full" && (
        <SwitchRow
          label="May be enlarged"
          title="Up to four times, along edges"
          on={size.enlarge}
          set={(enlarge) => change({ enlarge })}
        />
      )}
      {made && (
        <p className="dim" data-testid="made">
          {made.width} × {made.height} px
          {full && made.width > full.width && `, enlarged ${(made.width / full.width).toFixed(2)} times`}
        </p>
      )}
    </>
  );
}
