// Steps through a finished disc: its menu, its buttons, its films with chapters
// and subtitles, as its own image plays them.
const disc = document.getElementById("disc");

if (disc) {
  const screen = document.getElementById("television");
  const where = document.getElementById("where");
  const words = document.getElementById("words");
  const buttons = [...disc.querySelectorAll(".disc-button")];
  const { w, h } = disc.dataset;
  for (const b of buttons) {
    const { x0, y0, x1, y1 } = b.dataset;
    Object.assign(b.style, { left: `${(100 * x0) / w}%`, top: `${(100 * y0) / h}%`, width: `${(100 * (x1 - x0)) / w}%`, height: `${(100 * (y1 - y0)) / h}%` });
  }
  let follows = []; // places after this one
  let place = "";
  let page = `page ${buttons[0]?.dataset.page}`; // of the menu, shown last

  const play = (src, loop) => {
    screen.loop = loop;
    screen.src = src;
    screen.play().catch(() => {}); // a browser may wait for a press
  };

  /** Goes to a place of the disc, such as "page 2" or "title 3". */
  function go(to, then = [], chapter = 1) {
    const [kind, n] = to.split(" ");
    follows = then;
    place = to;
    disc.dataset.place = to;
    for (const b of buttons) b.hidden = kind !== "page" || b.dataset.page !== n;
    if (kind === "page") {
      page = to;
      where.textContent = `menu, page ${n}`;
      play(`/discs/${disc.dataset.disc}/page/${n}`, true);
      buttons.find((b) => !b.hidden)?.focus();
    } else if (kind === "title") {
      where.textContent = `film ${n}, from chapter ${chapter}`;
      play(`/discs/${disc.dataset.disc}/title/${n}?chapter=${chapter}${words.checked ? "&words=1" : ""}`, false);
    } else {
      where.textContent = "the disc stops";
      screen.pause();
    }
  }

  /** What follows a film that was not begun by a button: as its own button says. */
  const after = (title) => {
    const own = buttons.find((b) => b.dataset.then.startsWith(`title ${title},`));
    return own ? own.dataset.then.split(",").slice(1) : [];
  };

  screen.addEventListener("ended", () => {
    const [next, ...rest] = follows;
    if (next) go(next, rest);
    else where.textContent = "the film is over";
  });
  disc.addEventListener("click", (event) => {
    const button = event.target.closest(".disc-button");
    if (button) {
      const [to, ...then] = button.dataset.then.split(",");
      go(to, then);
    }
    const chapter = event.target.closest("[data-chapter]");
    if (chapter) go(`title ${chapter.dataset.title}`, after(chapter.dataset.title), Number(chapter.dataset.chapter));
  });
  // The keys of a remote control: to the nearest button in that direction.
  disc.addEventListener("keydown", (event) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key];
    const from = event.target.closest(".disc-button");
    if (!way || !from) return;
    event.preventDefault();
    const middle = (b) => [(+b.dataset.x0 + +b.dataset.x1) / 2, (+b.dataset.y0 + +b.dataset.y1) / 2];
    const [fx, fy] = middle(from);
    let best = null;
    let least = Infinity;
    for (const b of buttons) {
      if (b.hidden || b === from) continue;
      const [x, y] = middle(b);
      const along = (x - fx) * way[0] + (y - fy) * way[1];
      const across = Math.abs((x - fx) * way[1]) + Math.abs((y - fy) * way[0]);
      if (along < 8 || along + 2 * across >= least) continue;
      best = b;
      least = along + 2 * across;
    }
    best?.focus();
  });
  document.getElementById("tomenu")?.addEventListener("click", () => go(follows.findLast((to) => to.startsWith("page ")) ?? page));
  document.getElementById("sound").addEventListener("change", (event) => (screen.muted = !event.target.checked));
  words.addEventListener("change", () => place.startsWith("title") && go(place, follows));
  go(disc.dataset.first, disc.dataset.first.startsWith("title") ? after(disc.dataset.first.split(" ")[1]) : []);
}
