// A poor line in front of a server: all connections together carry so many bits
// a second, and everything comes later by a latency.
import { connect, createServer } from "node:net";

export class Line {
  static async to(port, { bits, latency }) {
    const line = new Line();
    line.rate = bits / 8000; // bytes a millisecond
    line.latency = latency;
    line.bytes = 0;
    line.free = 0; // when the line is free again
    line.server = createServer((client) => line.carry(client, port));
    await new Promise((resolve) => line.server.listen(0, "127.0.0.1", resolve));
    line.base = `http://127.0.0.1:${line.server.address().port}`;
    return line;
  }

  carry(client, port) {
    const server = connect(port, "127.0.0.1");
    client.setNoDelay(true);
    for (const [from, to] of [[client, server], [server, client]]) {
      from.on("error", () => to.destroy());
      from.on("close", () => setTimeout(() => to.destroy(), 200));
    }
    client.on("data", (d) => setTimeout(() => server.write(d), this.latency));
    server.on("data", (d) => {
      // Nothing more is read before this was carried, as on a line that is full.
      server.pause();
      this.piece(client, d, () => server.resume());
    });
  }

  piece(client, data, done) {
    if (!data.length) return done();
    const part = data.subarray(0, 4096);
    const now = performance.now();
    this.free = Math.max(now, this.free) + part.length / this.rate;
    setTimeout(() => {
      this.bytes += part.length;
      setTimeout(() => client.write(part), this.latency);
      this.piece(client, data.subarray(part.length), done);
    }, this.free - now);
  }

  close() {
    this.server.close();
  }
}
