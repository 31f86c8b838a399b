// Brings files in: picked, pasted or dropped anywhere on the page, folders too;
// several at once, resumed after a broken connection or when the page was left
// and the same files are chosen again. One line tells of all of them.
const root = document.getElementById("order") ?? document.getElementById("bring");
const { page } = root.dataset;
const order = root.dataset.order?.split(".")[0]; // whichever frame shape it is seen in
const endpoint = page ? "/bring-uploads/" : "/uploads/";
const list = document.querySelector("[data-upload-list]");
const atOnce = 3;
const waiting = [];
const items = new Set(); // of this round: waiting, running, failed
let running = 0;
let done = 0; // of this round

const counted = (n, word) => `${n} ${word}${n === 1 ? "" : "s"}`;

// The line, and what it opens: a line for each file that is not sent.
const line = document.createElement("li");
line.className = "py-0.5";
line.innerHTML = '<details><summary class="cursor-pointer"><span class="inline-flex gap-3 items-center"><progress class="bar !w-40" max="100" value="0" aria-label="Sending"></progress><span data-says></span></span></summary><ul class="pl-4"></ul></details>';
const [bar, says, lines] = [line.querySelector("progress"), line.querySelector("[data-says]"), line.querySelector("ul")];

function show() {
  const all = [...items];
  const failed = all.filter((i) => i.failed).length;
  if (all.length + done === 0) {
    line.remove();
    return;
  }
  if (!line.isConnected) list.append(line);
  const size = all.reduce((sum, i) => sum + i.file.size, 0) + done;
  bar.value = (100 * (all.reduce((sum, i) => sum + i.sent, 0) + done)) / size;
  const left = all.length - failed;
  const away = all.find((i) => i.away);
  says.textContent = [left > 0 ? `${counted(left, "file")} to send, ${Math.floor(bar.value)} %` : "sent", away ? "the line is broken; tries again" : "", failed > 0 ? `${counted(failed, "file")} not sent` : ""].filter(Boolean).join("; ");
  says.classList.toggle("text-bad", failed > 0);
}

function bring(files) {
  // When each was sent, one after the other: whichever arrives first, songs keep this order.
  let sent = Date.now();
  for (const file of files) {
    const row = document.createElement("li");
    row.className = "flex gap-3";
    const name = document.createElement("span");
    name.className = "grow truncate";
    name.textContent = file.name;
    const state = document.createElement("span");
    state.className = "quiet";
    state.textContent = "waits";
    row.append(name, state);
    lines.append(row);
    const item = { file, row, state, begun: sent++, sent: 0, failed: false, away: false };
    items.add(item);
    waiting.push(item);
  }
  next();
  show();
}

function next() {
  while (running < atOnce && waiting.length > 0) {
    running++;
    send(waiting.shift());
  }
}

function over(item, wrong) {
  running--;
  item.away = false;
  if (wrong) {
    item.failed = true;
    item.state.textContent = wrong;
    item.state.className = "text-bad";
    line.querySelector("details").open = true;
  } else {
    items.delete(item);
    item.row.remove();
    done += item.file.size;
    document.dispatchEvent(new CustomEvent("nelko:sent"));
  }
  next();
  show();
  if (items.size === 0)
    setTimeout(() => {
      if (items.size === 0) done = 0;
      show();
    }, 1500);
}

async function send(item) {
  const { file } = item;
  const told = { filename: file.name, sent: String(item.begun) };
  if (file.size === 0) {
    over(item, "the file is empty");
    return;
  }
  const upload = new window.tus.Upload(file, {
    endpoint,
    // Tried again for about ten minutes, then left to the operator.
    retryDelays: [500, 1000, 2000, 4000, 8000, 15000, 30000, 60000, 60000, 120000, 120000, 180000],
    chunkSize: 16 * 1024 * 1024,
    metadata: page ? { ...told, page } : { ...told, order },
    fingerprint: async () => ["nelko", page ?? order, file.name, file.size, file.lastModified].join("-"),
    removeFingerprintOnSuccess: true,
    onProgress: (sent, total) => {
      item.sent = sent;
      item.away = false;
      item.state.textContent = `${Math.round((100 * sent) / total)} %`;
      show();
    },
    onShouldRetry: (error) => {
      const status = error.originalResponse?.getStatus() ?? 0;
      if (status === 0 || status >= 500 || status === 409 || status === 423) {
        item.away = true;
        item.state.textContent = status === 507 ? "the studio’s disk is full; tries again" : "tries again";
        show();
        return true;
      }
      return false;
    },
    onSuccess: () => over(item, ""),
    onError: (error) => over(item, error.originalResponse?.getBody() || "not sent"),
  });
  // What arrived of it before the page was left is not sent again.
  const [before] = await upload.findPreviousUploads();
  if (before) upload.resumeFromPreviousUpload(before);
  upload.start();
}

for (const input of document.querySelectorAll("[data-upload-input]"))
  input.addEventListener("change", () => {
    bring(input.files);
    input.value = "";
  });

/** The files of what was dropped; folders are gone through. */
async function filesOf(items) {
  const entries = [...items].map((i) => i.webkitGetAsEntry?.()).filter(Boolean);
  const files = [];
  const through = async (entry) => {
    if (entry.isFile) files.push(await new Promise((resolve, reject) => entry.file(resolve, reject)));
    else {
      const reader = entry.createReader();
      for (;;) {
        const some = await new Promise((resolve, reject) => reader.readEntries(resolve, reject));
        if (some.length === 0) break;
        for (const e of some) if (!e.name.startsWith(".")) await through(e);
      }
    }
  };
  for (const e of entries) await through(e);
  return files;
}

const holdsFiles = (event) => event.dataTransfer?.types.includes("Files");
let depth = 0;
window.addEventListener("dragenter", (event) => {
  if (holdsFiles(event) && depth++ === 0) document.body.classList.add("dropping");
});
window.addEventListener("dragleave", (event) => {
  if (holdsFiles(event) && --depth === 0) document.body.classList.remove("dropping");
});
window.addEventListener("dragover", (event) => {
  if (holdsFiles(event)) event.preventDefault();
});
window.addEventListener("drop", async (event) => {
  if (!holdsFiles(event)) return;
  event.preventDefault();
  depth = 0;
  document.body.classList.remove("dropping");
  const plain = [...event.dataTransfer.files];
  const found = await filesOf(event.dataTransfer.items);
  bring(found.length > 0 ? found : plain);
});
window.addEventListener("paste", (event) => {
  const files = [...(event.clipboardData?.files ?? [])];
  if (files.length === 0) return;
  event.preventDefault();
  // Pictures from the clipboard all have one name.
  bring(files.map((f) => new File([f], f.name === "image.png" ? `pasted ${new Date().toISOString().slice(0, 19).replaceAll(":", ".")}.png` : f.name, { type: f.type, lastModified: f.lastModified })));
});
window.addEventListener("beforeunload", (event) => {
  if (running > 0) event.preventDefault();
});

// What was not sent whole when the page was left can go on.
const kept = Object.keys(localStorage)
  .filter((k) => k.startsWith(`tus::nelko-${page ?? order}-`))
  .map((k) => JSON.parse(localStorage.getItem(k)).metadata?.filename)
  .filter(Boolean);
if (kept.length > 0 && list) {
  const again = document.createElement("li");
  again.className = "notice";
  again.textContent = `${counted(kept.length, "file")} had not come whole when this page was left: ${kept.slice(0, 5).join(", ")}${kept.length > 5 ? " …" : ""}. Choose ${kept.length === 1 ? "it" : "them"} again to go on where it stopped.`;
  list.append(again);
}
