// Brings a tree of folders, a zip, a list or single files into a Run: dropped
// anywhere on the page or chosen, several at once, each resumed after a broken
// connection.
const run = document.getElementById("run").dataset.run;
const say = document.getElementById("uploading");
const atOnce = 4;
const waiting = [];
let running = 0;
let whole = 0;
let all = 0;
const failed = [];

/** Takes files with their paths in the tree. One folder around all of it is
 *  left out if there are folders in it. */
function bring(files) {
  const first = files[0]?.path.split("/")[0];
  const around = files.length > 0 && files.every((f) => f.path.startsWith(`${first}/`)) && files.some((f) => f.path.split("/").length > 2);
  for (const f of files) {
    const path = around ? f.path.slice(first.length + 1) : f.path;
    if (path.split("/").some((p) => p.startsWith(".")) || f.file.size === 0) continue;
    waiting.push({ file: f.file, path });
    all++;
  }
  next();
}

function tell() {
  const left = all - whole - failed.length;
  say.textContent = left > 0 ? `${whole} of ${all} files sent` : failed.length > 0 ? `${failed.length} of ${all} files not sent: ${failed.slice(0, 3).join(", ")}` : "";
  if (left === 0 && failed.length === 0) whole = all = 0;
}

function next() {
  while (running < atOnce && waiting.length > 0) {
    running++;
    send(waiting.shift());
  }
  tell();
}

function send({ file, path }) {
  const done = (why) => {
    running--;
    if (why) failed.push(`${path}: ${why}`);
    else whole++;
    next();
  };
  new window.tus.Upload(file, {
    endpoint: "/uploads/",
    // Tried again for about ten minutes, then left to the operator.
    retryDelays: [500, 1000, 2000, 4000, 8000, 15000, 30000, 60000, 60000, 120000, 120000, 180000],
    chunkSize: 16 * 1024 * 1024,
    uploadDataDuringCreation: true,
    storeFingerprintForResuming: false,
    metadata: { filename: file.name, run, path },
    onShouldRetry: (error) => {
      const status = error.originalResponse?.getStatus() ?? 0;
      return status === 0 || status >= 500 || status === 409 || status === 423;
    },
    onSuccess: () => done(""),
    onError: (error) => done(error.originalResponse?.getBody() || "not sent"),
  }).start();
}

/** All files below what was dropped. */
async function below(entry, path, out) {
  if (entry.isFile) {
    out.push({ file: await new Promise((yes, no) => entry.file(yes, no)), path: path + entry.name });
    return;
  }
  const reader = entry.createReader();
  for (;;) {
    const some = await new Promise((yes, no) => reader.readEntries(yes, no));
    if (some.length === 0) return;
    for (const e of some) await below(e, `${path}${entry.name}/`, out);
  }
}

document.addEventListener("change", (event) => {
  const input = event.target.closest("[data-folders], [data-files]");
  if (!input) return;
  bring([...input.files].map((file) => ({ file, path: file.webkitRelativePath || file.name })));
  input.value = "";
});

const holdsFiles = (event) => event.dataTransfer?.types.includes("Files");
let depth = 0;
addEventListener("dragenter", (event) => {
  if (holdsFiles(event) && depth++ === 0) document.body.classList.add("dropping");
});
addEventListener("dragleave", (event) => {
  if (holdsFiles(event) && --depth === 0) document.body.classList.remove("dropping");
});
addEventListener("dragover", (event) => {
  if (holdsFiles(event)) event.preventDefault();
});
addEventListener("drop", async (event) => {
  if (!holdsFiles(event)) return;
  event.preventDefault();
  depth = 0;
  document.body.classList.remove("dropping");
  const entries = [...event.dataTransfer.items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
  if (entries.length === 0) {
    bring([...event.dataTransfer.files].map((file) => ({ file, path: file.name })));
    return;
  }
  const out = [];
  for (const e of entries) await below(e, "", out);
  bring(out);
});
addEventListener("beforeunload", (event) => {
  if (running > 0) event.preventDefault();
});
