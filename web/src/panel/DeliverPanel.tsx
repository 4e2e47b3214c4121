import { Button, MenuItem, TextField } from "@mui/material";
import { useState } from "react";

import { answered, api, type Delivery } from "../api/client";
import { isActive, useNews } from "../api/news";
import { deliveriesChanged, useDeliveries } from "../api/queries";
import { useHistory } from "../state/history";
import { told } from "../state/messages";
import { useScene } from "../state/scene";
import { useView } from "../state/view";
import { bytes } from "../units";
import { type Border, BorderFields } from "./BorderFields";
import { JobProgress } from "./JobProgress";

const FORMATS: { value: NonNullable<Delivery["format"]>; label: string; about: string }[] = [
  { value: "jpg", label: "JPEG", about: "8 bits, sRGB" },
  { value: "avif", label: "AVIF", about: "8 bits, sRGB, smaller" },
  { value: "png", label: "PNG", about: "16 bits, sRGB" },
  { value: "tif", label: "TIFF", about: "16 bits, sRGB" },
  { value: "exr", label: "OpenEXR", about: "scene-linear Rec. 2020, before the display" },
];

/** The Deliver station: a finished file to download. */
export default function DeliverPanel() {
  const scene = useScene((s) => s.scene)!;
  const storing = useScene((s) => s.storing);
  const jobs = useNews((s) => s.jobs);
  const past = useDeliveries(scene.id).data ?? [];
  const [format, setFormat] = useState<NonNullable<Delivery["format"]>>("jpg");
  const [quality, setQuality] = useState("92");
  const full = useView((s) => (s.map ? Math.max(s.map.size.width, s.map.size.height) : null));
  const [edge, setEdge] = useState("");
  const takes = useHistory().data?.takes ?? [];
  const [take, setTake] = useState<number | null>(null);
  const chosen = takes.find((t) => t.id === take) ?? takes.find((t) => t.here);
  const [border, setBorder] = useState<Border | null>(null);
  const running = Object.values(jobs).filter((j) => j.kind === "deliver" && j.scene_id === scene.id && isActive(j));

  const edgeFault = edge !== "" && !(Number(edge) >= 16 && Number.isInteger(Number(edge)));
  const qualityFault = !(Number(quality) >= 1 && Number(quality) <= 100);
  const lossy = format === "jpg" || format === "avif";
  const start = () =>
    told(
      answered(
        api.POST("/api/scenes/{scene_id}/deliveries", {
          params: { path: { scene_id: scene.id } },
          body: {
            format,
            long_edge: edge === "" ? null : Number(edge),
            quality: lossy ? Math.round(Number(quality)) : 92,
            take: chosen?.id ?? null,
            border: format === "exr" ? null : border,
          },
        }),
      ).then(() => deliveriesChanged(scene.id)),
    );

  return (
    <>
      <h2>Deliver</h2>
      <p className="lead">Render at full quality into a file.</p>
      <div className="stack fields">
        <TextField
          select
          size="small"
          label="Format"
          value={format}
          onChange={(e) => setFormat(e.target.value as typeof format)}
        >
          {FORMATS.map((f) => (
            <MenuItem key={f.value} value={f.value}>
              {f.label} <span className="dim">&nbsp; {f.about}</span>
            </MenuItem>
          ))}
        </TextField>
        <TextField
          size="small"
          label="Long edge in px"
          placeholder={full ? `${full}, full size` : "full size"}
          value={edge}
          onChange={(e) => setEdge(e.target.value)}
          error={edgeFault}
          helperText={edgeFault ? "A whole number from 16, or empty for full size" : undefined}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        {lossy && (
          <TextField
            size="small"
            label="Quality, 1–100"
            value={quality}
            onChange={(e) => setQuality(e.target.value)}
            error={qualityFault}
            helperText={qualityFault ? "A number from 1 to 100" : undefined}
          />
        )}
        {takes.length > 1 && (
          <TextField
            select
            size="small"
            label="Take"
            value={chosen?.id ?? ""}
            onChange={(e) => setTake(Number(e.target.value))}
          >
            {takes.map((t) => (
              <MenuItem key={t.id} value={t.id}>
                {t.name}
              </MenuItem>
            ))}
          </TextField>
        )}
        {format !== "exr" && <BorderFields border={border} set={setBorder} />}
        <div>
          <Button
            variant="contained"
            disabled={!scene.ready || edgeFault || (lossy && qualityFault) || storing !== "stored"}
            onClick={() => void start()}
          >
            Deliver
          </Button>
        </div>
        {running.map((job) => (
          <JobProgress key={job.id} job={job} />
        ))}
      </div>
      {past.some((j) => j.state === "done" || j.state === "failed") && <div className="group">Delivered</div>}
      <div className="stack">
        {past.map((job) => {
          const newest = jobs[job.id] ?? job;
          const mask = newest.options.mask != null ? ((newest.result?.name as string | undefined) ?? "Mask") : null;
          const label = mask ?? FORMATS.find((f) => f.value === newest.options.format)?.label;
          const size = newest.options.long_edge ? `${newest.options.long_edge as number} px` : "full size";
          if (newest.state === "failed")
            return (
              <p key={job.id} className="fault">
                {label}, {size}: {newest.fault}
              </p>
            );
          if (newest.state !== "done" || !newest.result) return null;
          return (
            <div key={job.id} className="progress">
              <div className="line">
                <span>
                  {label}, {size} <span className="dim">{bytes(newest.result.bytes as number)}</span>
                </span>
                <a className="active" href={`/api/deliveries/${job.id}/file`} download>
                  Download
                </a>
              </div>
            </div>
          );
        })}
      </div>
    </>
  );
}
