import { Button } from "@mui/material";

import type { History } from "../api/client";
import { NameInput } from "../panel/NameInput";
import { beginTake, chooseTake, freeName, mixIn, removeTake, renameTake, see, unsee } from "../state/history";
import { CompareButton } from "./CompareButton";
import { SmallPicture } from "./SmallPicture";

/** Several treatments of the scene; the one that is worked on is delivered. */
export function Takes({ history }: { history: History }) {
  const names = history.takes.map((t) => t.name);
  return (
    <section aria-label="Takes">
      <div className="group">
        <h3>Takes</h3>
        <Button
          size="small"
          variant="outlined"
          color="inherit"
          title="Another treatment of this scene, which begins as this one is"
          onClick={() => void beginTake(freeName("Take", names), null)}
        >
          New take
        </Button>
      </div>
      <ul className="states" onPointerLeave={unsee}>
        {history.takes.map((take) => (
          <li
            key={take.id}
            aria-current={take.here ? "true" : undefined}
            onPointerEnter={() => (take.here ? unsee() : see(take.revision))}
          >
            <SmallPicture revision={take.revision} />
            <div>
              <NameInput
                key={take.name}
                label={`Name of the take ${take.name}`}
                name={take.name}
                longest={60}
                onName={(next) => {
                  void renameTake(take.id, next);
                  return !names.includes(next);
                }}
              />
              <div className="acts">
                {take.here ? (
                  <span className="dim">worked on, and delivered</span>
                ) : (
                  <>
                    <button onClick={() => void chooseTake(take.id)}>work on it</button>
                    <CompareButton revision={take.revision} title={take.name} />
                    <button
                      title="Lays it over this one, half of each, in an area: its opacity mixes them, its mask tells where"
                      onClick={() => void mixIn(take.id, take.name)}
                    >
                      mix in
                    </button>
                    <button aria-label={`Take away ${take.name}`} onClick={() => void removeTake(take.id)}>
                      take away
                    </button>
                  </>
                )}
              </div>
            </div>
          </li>
        ))}
      </ul>
    </section>
  );
}
