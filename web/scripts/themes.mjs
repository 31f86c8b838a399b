// The theme picker: loops are fetched one after another, because each is made
// when it is first asked for, and play only while they are seen.
const still = window.matchMedia("(prefers-reduced-motion: reduce)").matches;
const waiting = [];
let busy = false;

function next() {
  if (busy) return;
  const video = waiting.shift();
  if (!video) return;
  busy = true;
  const done = () => {
    busy = false;
    next();
  };
  video.addEventListener("canplaythrough", done, { once: true });
  video.addEventListener("error", done, { once: true });
  video.src = video.dataset.loop;
  video.preload = "auto";
  if (still) video.controls = true;
  else video.play().catch(() => {}); // a browser that plays nothing by itself shows the still
}

const seen = new IntersectionObserver((entries) => {
  for (const { target, isIntersecting } of entries) {
    if (isIntersecting && !target.src) {
      if (!waiting.includes(target)) waiting.push(target);
    } else if (target.src && !still) {
      if (isIntersecting) target.play().catch(() => {});
      else target.pause();
    }
  }
  next();
});
for (const video of document.querySelectorAll("video[data-loop]")) seen.observe(video);

// Which themes are shown: for an occasion, and as many pictures as there are.
function show() {
  const occasion = document.getElementById("occasion").value;
  const fits = document.getElementById("fits").checked;
  const all = [...document.querySelectorAll("[data-theme]")];
  for (const li of all) li.hidden = (occasion !== "" && !li.dataset.for.split("|").includes(occasion)) || (fits && li.dataset.fits === undefined);
  const shown = all.filter((li) => !li.hidden).length;
  document.getElementById("themes-shown").textContent = shown === all.length ? "" : `${shown} of ${all.length} themes`;
}
for (const control of document.querySelectorAll("[data-themes]")) control.addEventListener("change", show);
