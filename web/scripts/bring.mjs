// The page on which a client brings material in: what has come, and the film's
// opening with what is being typed.
const page = document.getElementById("bring").dataset.page;

let asking = false;
async function refresh() {
  if (asking) return;
  asking = true;
  try {
    const answer = await fetch(`/bring/${page}/brought`);
    const old = document.getElementById("brought");
    if (answer.ok) old.outerHTML = await answer.text();
  } catch {
    // Away: the next look asks again.
  }
  asking = false;
}
document.addEventListener("nelko:sent", () => setTimeout(refresh, 500));
// While something is being looked at there is news.
setInterval(() => {
  if (document.visibilityState === "visible" && /looked at/.test(document.getElementById("brought").textContent)) refresh();
}, 2000);

// The opening as it will be: one picture after the other, always the newest.
const opening = document.getElementById("opening");
const form = document.getElementById("details");
let wanted = false;
let loading = false;
function show() {
  if (loading || !wanted) return;
  loading = true;
  wanted = false;
  const done = () => {
    loading = false;
    show();
  };
  opening.addEventListener("load", done, { once: true });
  opening.addEventListener("error", done, { once: true });
  opening.src = `/bring/${page}/opening.jpg?${new URLSearchParams(new FormData(form))}`;
}
if (opening)
  form?.addEventListener("input", () => {
    wanted = true;
    setTimeout(show, 200);
  });
