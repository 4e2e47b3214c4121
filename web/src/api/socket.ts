/** A WebSocket to this server that opens again by itself. */
export class Line {
  private socket: WebSocket | null = null;
  private closed = false;

  constructor(
    private path: string,
    private onMessage: (data: string | ArrayBuffer) => void,
    private onState: (open: boolean) => void = () => {},
  ) {
    this.open();
  }

  private open() {
    const scheme = location.protocol === "https:" ? "wss" : "ws";
    const socket = new WebSocket(`${scheme}://${location.host}${this.path}`);
    socket.binaryType = "arraybuffer";
    socket.onopen = () => this.onState(true);
    socket.onmessage = (event: MessageEvent<string | ArrayBuffer>) => this.onMessage(event.data);
    socket.onclose = () => {
      if (this.closed) return;
      this.onState(false);
      setTimeout(() => !this.closed && this.open(), 800);
    };
    this.socket = socket;
  }

  send(message: unknown): boolean {
    if (this.socket?.readyState !== WebSocket.OPEN) return false;
    this.socket.send(JSON.stringify(message));
    return true;
  }

  close() {
    this.closed = true;
    this.socket?.close();
  }
}
