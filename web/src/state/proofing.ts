import { create } from "zustand";

import { answered, api } from "../api/client";
import { keptProfiles, queries } from "../api/queries";
import { told } from "./messages";

/** How a picture is proofed, as the server is asked for it. */
export interface Proof {
  /** Name of a kept profile, or of a space of delivered files. */
  profile: string;
  intent: "perceptual" | "relative" | "saturation" | "absolute";
  black_point: boolean;
  paper: boolean;
  marks: boolean;
}

interface Proofing {
  on: boolean;
  /** Whether there has been a proof: it is at hand from then on, at every station. */
  used: boolean;
  proof: Proof;
}

const USUAL: Proof = { profile: "srgb", intent: "relative", black_point: true, paper: false, marks: true };

export const useProofing = create<Proofing>(() => ({ on: false, used: false, proof: USUAL }));

export const setProofing = (on: boolean) => useProofing.setState((s) => ({ on, used: s.used || on }));
export const toggleProof = () => setProofing(!useProofing.getState().on);
/** Proof another way; what is chosen is seen at once. */
export const changeProof = (change: Partial<Proof>) =>
  useProofing.setState(({ proof }) => ({ proof: { ...proof, ...change }, on: true, used: true }));

/** Keep a profile, and proof by it. */
export async function bringProfile(file: File) {
  const before = new Set((queries.getQueryData(keptProfiles.queryKey) ?? []).map((p) => p.name));
  const form = new FormData();
  form.append("file", file);
  const known = await told(
    answered(api.POST("/api/profiles", { body: form as unknown as { file: string }, bodySerializer: () => form })),
  );
  if (!known) return;
  queries.setQueryData(keptProfiles.queryKey, known);
  const fresh = known.find((p) => !before.has(p.name));
  if (fresh) changeProof({ profile: fresh.name });
}

/** Forget a profile; what it was proofed by is sRGB's then. */
export async function forgetProfile(name: string) {
  const known = await told(answered(api.POST("/api/profiles/forget", { body: { name } })));
  if (!known) return;
  queries.setQueryData(keptProfiles.queryKey, known);
  useProofing.setState(({ proof, on }) =>
    proof.profile === name ? { proof: { ...proof, profile: "srgb" }, on: false } : { on },
  );
}
