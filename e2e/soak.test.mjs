// A short soak: operators and viewers at work while server, worker and database
// are killed. `nelko soak` says what an hour of it comes to.
import assert from "node:assert/strict";
import { spawnSync } from "node:child_process";
import { join } from "node:path";
import { test } from "node:test";
import { root } from "./server.mjs";

test("what was acknowledged is there, once, whatever was killed meanwhile", () => {
  const soak = spawnSync(join(root, "bin/nelko"), ["soak", "--for", "45s", "--seed", "4", "--operators", "2"], { cwd: root, encoding: "utf8", timeout: 400000 });
  assert.equal(soak.status, 0, soak.stderr);
  const figure = Object.fromEntries([...soak.stdout.matchAll(/^soak_(\w+)=(\d+)$/gm)].map(([, name, n]) => [name, Number(n)]));
  for (const name of ["lost", "double", "damaged", "unfinished", "mails_twice"]) assert.equal(figure[name], 0, soak.stderr);
  for (const name of ["orders", "uploads", "edits", "renders"]) assert.ok(figure[name] > 0, `${name}: ${soak.stdout}`);
  const hurts = ["killed_server", "killed_worker", "killed_database", "store_away", "moved_back", "workers_joined_or_left"];
  assert.ok(hurts.reduce((n, name) => n + figure[name], 0) >= 3, soak.stdout);
});
