// Reads `go test -json` and prints one line a package, the output of what
// failed, the tests that took long, and last "N passed, M failed".
import { createInterface } from "node:readline";

const long = 15; // seconds
const output = new Map();
const slow = new Map(); // of each package, the tests of their own that took long
let passed = 0;
let failed = 0;
for await (const line of createInterface({ input: process.stdin })) {
  let event;
  try {
    event = JSON.parse(line);
  } catch {
    console.log(line); // the compiler speaks plain text
    continue;
  }
  const key = `${event.Package ?? event.ImportPath} ${event.Test ?? ""}`;
  if (event.Action === "output" || event.Action === "build-output") {
    output.set(key, (output.get(key) ?? "") + event.Output);
    continue;
  }
  if (event.Action === "build-fail") {
    console.log(output.get(key) ?? "");
    continue;
  }
  if (event.Action !== "pass" && event.Action !== "fail") continue;
  if (event.Test) {
    if (event.Elapsed >= long && !event.Test.includes("/")) {
      slow.set(event.Package, [...(slow.get(event.Package) ?? []), `${event.Test} ${Math.round(event.Elapsed)}s`]);
    }
    if (event.Action === "pass") passed++;
    else {
      failed++;
      console.log(`FAIL ${key}\n${output.get(key) ?? ""}`);
    }
  } else {
    if (event.Action === "fail") {
      console.log(output.get(key) ?? "");
      if (event.FailedBuild) failed++;
    }
    console.log(`${event.Action === "pass" ? "ok  " : "FAIL"} ${event.Package} ${event.Elapsed ?? 0}s`);
    if (slow.has(event.Package)) console.log(`     of which ${slow.get(event.Package).join(", ")}`);
  }
}
console.log(`${passed} passed, ${failed} failed`);
