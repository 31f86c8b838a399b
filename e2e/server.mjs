// Starts the real application for a test: a PostgreSQL of its own, a folder
// of its own, a free port.
import { execFileSync, spawn } from "node:child_process";
import { mkdtempSync, rmSync, chmodSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = dirname(dirname(fileURLToPath(import.meta.url)));
const binary = process.env.NELKO_BINARY ?? join(root, "bin/nelko");

function freePort() {
  return new Promise((resolve) => {
    const s = createServer().listen(0, "127.0.0.1", () => {
      const { port } = s.address();
      s.close(() => resolve(port));
    });
  });
}

export class Server {
  static async start({ demo = false } = {}) {
    const s = new Server();
    s.dir = mkdtempSync(join(tmpdir(), "nelko-e2e-"));
    chmodSync(s.dir, 0o755);
    s.startDatabase();
    s.port = await freePort();
    s.base = `http://127.0.0.1:${s.port}`;
    s.demo = demo;
    if (!demo) {
      execFileSync(binary, ["user", "add", "--role", "owner", "--name", "Wren Ashdown", "demo@nelko.example"], {
        env: s.env(),
        input: "lantern-regatta\n",
        stdio: ["pipe", "ignore", "inherit"],
      });
    }
    await s.serve();
    return s;
  }

  addUser({ email, password }) {
    execFileSync(binary, ["user", "add", email], { env: this.env(), input: `${password}\n`, stdio: ["pipe", "ignore", "inherit"] });
  }

  startDatabase() {
    this.database = execFileSync(join(root, "scripts/pg"), ["start", join(this.dir, "pg"), "quick"], { encoding: "utf8" }).trim();
  }

  stopDatabase() {
    execFileSync(join(root, "scripts/pg"), ["stop", join(this.dir, "pg")]);
  }

  // The port stays the same when the database is started again.
  restartDatabase() {
    const port = new URL(this.database).port;
    const bin = execFileSync("bash", ["-c", "ls -d /usr/lib/postgresql/*/bin | sort -V | tail -1"], { encoding: "utf8" }).trim();
    const as = process.getuid() === 0 ? ["setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups"] : ["env"];
    execFileSync(as[0], [...as.slice(1), join(bin, "pg_ctl"), "-D", join(this.dir, "pg/data"), "-l", join(this.dir, "pg/server.log"), "-s", "-w", "-o", `-p ${port}`, "start"], { cwd: "/", stdio: "ignore" });
  }

  env() {
    return {
      ...process.env,
      NELKO_DATABASE_URL: this.database,
      NELKO_VAR: join(this.dir, "var"),
      NELKO_ADDR: `127.0.0.1:${this.port ?? 0}`,
      NELKO_METRICS: "",
      NELKO_LOG: "warn",
    };
  }

  async serve() {
    this.log = "";
    this.process = spawn(binary, this.demo ? ["serve", "--demo"] : ["serve"], { env: this.env(), stdio: ["ignore", "pipe", "pipe"] });
    const process = this.process;
    await new Promise((resolve, reject) => {
      const hear = (data) => {
        this.log += data;
        if (this.log.includes("Nelko is ready at")) resolve();
      };
      process.stdout.on("data", hear);
      process.stderr.on("data", hear);
      process.on("exit", (code) => reject(new Error(`nelko ended with ${code}: ${this.log}`)));
    });
  }

  // kill ends the server the hard way.
  async kill(signal = "SIGKILL") {
    const gone = new Promise((resolve) => this.process.on("exit", resolve));
    this.process.kill(signal);
    await gone;
  }

  async stop() {
    await this.kill("SIGTERM");
    this.stopDatabase();
    rmSync(this.dir, { recursive: true, force: true });
  }

  sql(query) {
    return execFileSync("psql", [this.database, "-tAc", query], { encoding: "utf8" }).trim();
  }
}
