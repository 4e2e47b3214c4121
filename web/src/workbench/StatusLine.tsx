import { useScene } from "../state/scene";
import type { ViewName } from "../names";
import { useSelected } from "../state/areas";
import { CompareMenu } from "../history/CompareMenu";
import { endComparing, setWay, useCompare, type Way } from "../state/compare";
import { useContribution } from "../state/contribution";
import { toggleProof, useProofing } from "../state/proofing";
import { useCrop } from "../state/cropping";
import { useChosen } from "../state/colour";
import { type Probe, setView, showAt, toggleZoom, useView } from "../state/view";
import type { Station } from "./stations";
import { luminance, number, percent, shutter } from "../units";

const VIEWS: { name: ViewName; title: string; key: string }[] = [
  { name: "picture", title: "Picture", key: "" },
  { name: "limits", title: "Limits", key: "L" },
  { name: "stops", title: "Stops", key: "H" },
  { name: "noise", title: "Noise", key: "Y" },
  { name: "left", title: "Noise left", key: "Shift Y" },
  { name: "taken", title: "Taken out", key: "U" },
  { name: "source", title: "Source", key: "S" },
  { name: "lost", title: "Lost", key: "R" },
  { name: "lights", title: "Lights", key: "Shift R" },
  { name: "moved", title: "Moved", key: "M" },
  { name: "ground", title: "Ground", key: "G" },
  { name: "range", title: "Range", key: "K" },
  { name: "outside", title: "Beyond", key: "O" },
  { name: "area", title: "Area", key: "A" },
  { name: "mask", title: "Mask", key: "K" },
  { name: "dust", title: "Dust", key: "G" },
  { name: "sharp", title: "Sharpened", key: "K" },
];
const CHANNELS: Record<string, string> = { R: "red", G: "green", B: "blue" };

function channels(letters: string): string {
  return letters === "RGB" ? "all channels" : [...letters].map((l) => CHANNELS[l]).join(" and ");
}

/** The bottom line: what is under the pointer, the view switch and the zoom. */
export function StatusLine({ station }: { station: Station }) {
  const view = useView((s) => s.view);
  const zoom = useView((s) => s.zoom);
  const shownZoom = useView((s) => s.shownZoom);
  const scene = useScene((s) => s.scene);
  const moved = (scene?.report?.moved_share ?? 0) > 0;
  const sky = scene?.report?.stack?.sky ?? false;
  const area = useSelected() !== null;
  const range = useChosen()?.list === "ranges";
  const lights = useScene((s) => (s.treatment?.white_balance.second_temperature ?? null) !== null);
  const split = scene?.noise != null;
  const lost = (scene?.report?.clipped_share ?? []).some((share) => share > 0);
  const has = {
    picture: true,
    untreated: false,
    limits: true,
    stops: true,
    noise: true,
    cast: false,
    dust: true,
    noisy: false,
    taken: true,
    edges: false,
    sharp: true,
    contours: false,
    wash: false,
    left: split,
    range,
    outside: true,
    source: true,
    lost,
    lights,
    moved,
    ground: sky,
    area,
    mask: area,
    part: false,
  };
  const comparing = useCompare((c) => c.others.length > 0 || c.developing !== null);
  const shown = VIEWS.filter((v) => has[v.name] && station.views.includes(v.name));
  return (
    <footer className="status">
      <Readout colours={station.name === "colour"} />
      <div className="tools">
        {comparing ? (
          <ComparingTools />
        ) : (
          <div className="segment" role="group" aria-label="View">
            {shown.map((v) => (
              <button
                key={v.name}
                aria-pressed={view === v.name}
                title={v.key && `Key ${v.key}`}
                onClick={() => (v.name === "picture" ? useView.setState({ view: "picture" }) : setView(v.name))}
              >
                {v.title}
              </button>
            ))}
          </div>
        )}
        <ProofSwitch />
        <div className="segment" role="group" aria-label="Zoom">
          <button
            aria-pressed={zoom === null}
            title="Key F"
            onClick={() => useView.setState({ zoom: null, centre: null })}
          >
            Fit
          </button>
          <button
            aria-pressed={zoom === 1}
            title="Key Z"
            onClick={() => zoom !== 1 && (zoom === null ? toggleZoom() : useView.setState({ zoom: 1 }))}
          >
            100 %
          </button>
          <button aria-pressed={zoom === 2} title="Key Shift Z" onClick={() => zoom !== 2 && showAt(2)}>
            200 %
          </button>
        </div>
        <span className="zoom">{Math.round(shownZoom * 100)} %</span>
      </div>
    </footer>
  );
}

/** Whether the picture is proofed for a device, once that has been asked for. */
function ProofSwitch() {
  const { on, used, proof } = useProofing();
  if (!used) return null;
  return (
    <div className="segment">
      <button aria-pressed={on} title={`As ${proof.profile} shows it. Key Shift O`} onClick={toggleProof}>
        Proof
      </button>
    </div>
  );
}

/** The colour under the pointer: as the eye sees it, and as the delivered space holds it. */
function UnderPointer({ probe: { colour, code, outside } }: { probe: Probe }) {
  const [hue, chroma, lightness] = colour;
  return (
    <>
      <span>
        <i className="swatch" style={{ background: `rgb(${code.join(" ")})` }} />
        hue <b>{chroma < 0.4 ? "none" : `${hue.toFixed(0)}°`}</b> chroma <b>{chroma.toFixed(1)}</b> lightness{" "}
        <b>{lightness.toFixed(0)} %</b>
      </span>
      <span>
        sRGB <b>{code.join(" ")}</b>
        {outside && ", beyond it"}
      </span>
    </>
  );
}

const WAYS: Record<Way, string> = { seam: "Seam", beside: "Beside", difference: "Difference" };

/** How the picture is compared, while it is. */
function ComparingTools() {
  const { others, way, probes, developing } = useCompare();
  const told = developing
    ? `developing ${developing}`
    : `with ${others.length > 1 ? `${others.length} pictures` : (others[0]?.title ?? "")}`;
  // Where there are several, each tells of itself.
  const tone = others.length === 1 && probes[others[0].key];
  return (
    <>
      <div className="segment">
        <CompareMenu>{told}</CompareMenu>
      </div>
      <span className="dim" data-testid="compared">
        {tone && <>tone {tone.tone.toFixed(0)} %</>}
      </span>
      <div className="segment" role="group" aria-label="How it is compared">
        {(Object.keys(WAYS) as Way[]).map((name) => (
          <button key={name} aria-pressed={name === way} onClick={() => setWay(name)}>
            {WAYS[name]}
          </button>
        ))}
        <button title="Ends comparing. Key Shift C" onClick={endComparing}>
          End
        </button>
      </div>
    </>
  );
}

/** What is under the pointer, or what the picture as a whole comes to; at Colour its colour, and not where it came from. */
function Readout({ colours }: { colours: boolean }) {
  const probe = useView((s) => s.probe);
  const limits = useView((s) => s.limits);
  const ms = useView((s) => s.ms);
  const slow = useView((s) => s.slow);
  const doing = useView((s) => s.doing);
  const pointed = useContribution();
  const saturation = useScene((s) => s.scene?.automatic?.saturation ?? null);
  const crop = useCrop();
  const size = useView((s) => s.map?.size);
  const kept = crop ?? size;
  return (
    <div className="readout" aria-live="off" data-testid="readout">
      {probe ? (
        <>
          <span>
            <b>{number(probe.stop, 1, true)} EV</b>
            {!colours && (
              <>
                {" "}
                on tone <b>{probe.tone.toFixed(0)} %</b>
              </>
            )}
          </span>
          {colours && <UnderPointer probe={probe} />}
          {!colours && saturation !== null && <span>{luminance(saturation * 2 ** probe.stop)}</span>}
          {!colours && probe.snr_db !== null && (
            <span>
              signal to noise <b>{probe.snr_db.toFixed(0)} dB</b>
            </span>
          )}
          {!colours && probe.frame && (
            <span>
              from <b>{shutter(probe.seconds)}</b>
            </span>
          )}
          {probe.moved && <span>moved between frames</span>}
          {probe.clipped ? (
            <span>
              clipped in every frame: <b>{channels(probe.clipped)}</b>
            </span>
          ) : probe.white ? (
            <span>
              at white: <b>{channels(probe.white)}</b>
            </span>
          ) : probe.black ? (
            <span>at black</span>
          ) : null}
        </>
      ) : (
        <>
          {pointed.says && (
            <span data-testid="contribution">
              {pointed.of} <b>{pointed.says}</b>
            </span>
          )}
          {limits && !pointed.says && (
            <span>
              at white <b>{percent(limits.white)}</b>, some channel <b>{percent(limits.some)}</b>, at black{" "}
              <b>{percent(limits.black)}</b>
            </span>
          )}
          {kept && (
            <span>
              {Math.round(kept.width)} × {Math.round(kept.height)} px
            </span>
          )}
          {slow || doing ? (
            <span role="status">
              {doing ? `${doing.what}: ${Math.round(doing.share * 100)} %` : "this picture takes long"}
            </span>
          ) : (
            ms !== null && <span>rendered in {ms.toFixed(0)} ms</span>
          )}
        </>
      )}
    </div>
  );
}
