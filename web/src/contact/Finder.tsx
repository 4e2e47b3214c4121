import { lazy, Suspense, useState } from "react";

import { MOST_CHOICE, useLooked } from "../state/library";

const DiskDialog = lazy(() => import("./DiskDialog"));

/** Finds scenes: by words, by how far they were chosen, or in the bin. */
export function Finder() {
  const { words, choice, bin } = useLooked();
  const [disk, setDisk] = useState(false);
  return (
    <div className="finder">
      <input
        className="typed name"
        type="search"
        aria-label="Find scenes"
        title="Names, files, camera, lens, date, ISO: all that is typed must be there"
        placeholder="find"
        value={words}
        onChange={(e) => useLooked.setState({ words: e.target.value })}
      />
      <span className="marks" role="group" aria-label="Chosen at least">
        {Array.from({ length: MOST_CHOICE }, (_, i) => i + 1).map((count) => (
          <button
            key={count}
            aria-label={`Chosen at least ${count} of ${MOST_CHOICE}`}
            aria-pressed={choice >= count}
            onClick={() => useLooked.setState({ choice: choice === count ? 0 : count })}
          />
        ))}
      </span>
      <button className="quiet" aria-pressed={bin} onClick={() => useLooked.setState({ bin: !bin })}>
        bin
      </button>
      <button className="quiet" aria-haspopup="dialog" onClick={() => setDisk(true)}>
        disk
      </button>
      <Suspense>{disk && <DiskDialog onClose={() => setDisk(false)} />}</Suspense>
    </div>
  );
}
