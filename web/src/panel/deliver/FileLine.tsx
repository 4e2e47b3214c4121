import type { ReactNode } from "react";

/** A file to download: its name, and what is to be said of it. */
export function FileLine({
  job,
  name,
  title,
  facts,
  children,
}: {
  job: number;
  name: string;
  title?: string;
  facts: string;
  children?: ReactNode;
}) {
  return (
    <div className="progress">
      <div className="line">
        <span className="path">{name}</span>
        <a className="active" href={`/api/deliveries/${job}/file`} download>
          Download
        </a>
      </div>
      <div className="line">
        <span className="dim" title={title}>
          {facts}
        </span>
        {children}
      </div>
    </div>
  );
}
