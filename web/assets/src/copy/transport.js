// How a page and the house reach each other about a copy: by a WebSocket, or, where none
// comes through, by plain requests. Both say what they hear through how.hear(message), that
// they ended through how.ended(), and send messages with send().
import { ask } from "../ask.js";

export class Socket {
  constructor(url, page, after, how) {
    const to = new URL(url + "/line", location.href);
    to.protocol = to.protocol.replace("http", "ws");
    to.search = new URLSearchParams({ page, after });
    this.socket = new WebSocket(to);
    this.socket.onopen = () => { this.opened = true; };
    this.socket.onmessage = (e) => how.hear(JSON.parse(e.data));
    this.socket.onclose = () => how.ended(this.opened ? "cut" : "closed");
  }
  send(message) { if (this.socket.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message)); } // an edit is sent again on the next one
  close() { this.socket.close(); }
}

const pause = 100; // milliseconds between two requests, in which more may come

// Polls asks, again and again, what is new since the last edit that the page knows, and
// is answered when there is something. Edits go out by requests of their own.
export class Polls {
  constructor(url, page, after, how) {
    this.url = url; this.page = page; this.how = how;
    this.stop = new AbortController();
    this.run(after);
  }
  async run(after) {
    for (let first = true; !this.ended; first = false) {
      const since = new URLSearchParams({ page: this.page, after: first ? after : this.how.seq(), first: first ? "yes" : "" });
      const got = await ask(`${this.url}/since?${since}`, { headers: { Accept: "application/json" }, signal: this.stop.signal });
      if (this.ended) return;
      if (!got?.ok || !got.json) return this.end(got?.status === 401 ? "out" : "closed");
      for (const m of got.json.messages) this.how.hear(m);
      if (!first && !got.json.messages.some((m) => m.kind === "edit")) this.how.hear({ kind: "look" }); // what was missed between two requests
      await new Promise((go) => setTimeout(go, pause));
    }
  }
  async send(message) {
    if (!message.edit) return; // where one is in the copy is told on a line of its own only
    const got = await ask(this.url, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify(message.edit) });
    if (this.ended) return;
    if (got?.ok) return void (got.json?.nothing && this.how.hear({ kind: "nothing", turn: message.edit.turn, seq: got.json.seq }));
    if (got?.status === 401) this.end("out");
    else if (got?.status === 503) this.how.hear({ kind: "refused", turn: message.edit.turn, trouble: got.json?.problem });
    else if (got?.json && got.status < 500) this.how.hear({ kind: "refused", turn: message.edit.turn, problem: got.json.problem });
    else this.end("closed");
  }
  close() { this.end("cut"); }
  end(why) {
    if (this.ended) return;
    this.ended = true;
    this.stop.abort();
    this.how.ended(why);
  }
}
