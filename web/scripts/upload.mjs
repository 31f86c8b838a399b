// Brings files in: picked or dropped anywhere on the page, several at once,
// resumed after a broken connection.
const order = document.getElementById("order").dataset.order;
const input = document.querySelector("[data-upload-input]");
const list = document.querySelector("[data-upload-list]");
const atOnce = 3;
const waiting = [];
let running = 0;

function bring(files) {
  for (const file of files) {
    const row = document.createElement("li");
    row.className = "flex gap-2 items-center py-0.5";
    const name = document.createElement("span");
    name.className = "grow truncate";
    name.textContent = file.name;
    const bar = document.createElement("progress");
    bar.className = "bar !w-28";
    bar.max = 100;
    bar.value = 0;
    bar.setAttribute("aria-label", `Sending ${file.name}`);
    const state = document.createElement("span");
    state.className = "quiet w-24 text-right";
    state.textContent = "waits";
    row.append(name, bar, state);
    list.append(row);
    waiting.push({ file, row, bar, state });
  }
  next();
}

function next() {
  while (running < atOnce && waiting.length > 0) {
    running++;
    send(waiting.shift());
  }
}

function send({ file, row, bar, state }) {
  const done = (text) => {
    running--;
    if (text) {
      state.textContent = text;
      row.classList.add("text-bad");
    } else {
      state.textContent = "sent";
      bar.value = 100;
      setTimeout(() => row.remove(), 1500);
    }
    next();
  };
  if (file.size === 0) {
    done("the file is empty");
    return;
  }
  const upload = new window.tus.Upload(file, {
    endpoint: "/uploads/",
    // Tried again for about ten minutes, then left to the operator.
    retryDelays: [500, 1000, 2000, 4000, 8000, 15000, 30000, 60000, 60000, 120000, 120000, 180000],
    chunkSize: 16 * 1024 * 1024,
    metadata: { filename: file.name, order },
    removeFingerprintOnSuccess: true,
    onProgress: (sent, total) => {
      bar.value = (100 * sent) / total;
      state.textContent = `${Math.round((100 * sent) / total)} %`;
    },
    onShouldRetry: (error) => {
      const status = error.originalResponse?.getStatus() ?? 0;
      if (status === 0 || status >= 500 || status === 409 || status === 423) {
        state.textContent = "tries again";
        return true;
      }
      return false;
    },
    onSuccess: () => done(""),
    onError: (error) => done(error.originalResponse?.getBody() || "not sent"),
  });
  upload.start();
}

input?.addEventListener("change", () => {
  bring(input.files);
  input.value = "";
});

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
window.addEventListener("drop", (event) => {
  if (!holdsFiles(event)) return;
  event.preventDefault();
  depth = 0;
  document.body.classList.remove("dropping");
  bring(event.dataTransfer.files);
});
window.addEventListener("beforeunload", (event) => {
  if (running > 0) event.preventDefault();
});
