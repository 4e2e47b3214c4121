import { create } from "zustand";

import { shootsChanged } from "../api/queries";
import { tell } from "../state/messages";

/** An upload under way; it goes on while the user looks around. */
export const useUpload = create<{ share: number | null; text: string; stop: (() => void) | null }>(() => ({
  share: null,
  text: "",
  stop: null,
}));

/** The name of a file, at most as long as disks allow: its end tells what it is. */
const shortened = (name: string) => (name.length <= 200 ? name : `${name.slice(0, 180)}${name.slice(-20)}`);

export function upload(files: File[]) {
  if (files.length === 0) return;
  const body = new FormData();
  for (const file of files) body.append("files", file, shortened(file.name));
  // fetch tells nothing of how far an upload is; this does.
  const request = new XMLHttpRequest();
  const text = files.length === 1 ? `Sending ${files[0].name}` : `Sending ${files.length} files`;
  useUpload.setState({ share: 0, text, stop: () => request.abort() });
  const over = () => useUpload.setState({ share: null, text: "", stop: null });
  request.upload.onprogress = (e) => e.lengthComputable && useUpload.setState({ share: e.loaded / e.total });
  request.onload = () => {
    over();
    if (request.status < 300) {
      shootsChanged();
      return;
    }
    try {
      tell((JSON.parse(request.responseText) as { detail: string }).detail);
    } catch {
      tell(`The upload was refused (${request.status}).`);
    }
  };
  request.onerror = () => {
    over();
    tell(
      "The upload broke off: it is larger than this server takes, or Crenn is no longer running. Send fewer files, or start Crenn again.",
    );
  };
  request.onabort = over;
  request.open("POST", "/api/uploads");
  request.send(body);
}
