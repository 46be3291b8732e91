// The conducted run: a timer that is seen and heard, and steps taken by a key or a presenter's remote.
// Time counts from what was recorded: the page says how long is left, and only shows it running down.
(() => {
  "use strict";
  const FORWARD = new Set([" ", "Enter", "PageDown", "ArrowRight", "n"]);
  const wait = document.querySelector("[data-wait]");
  const forward = document.querySelector("[data-forward]");
  const mute = document.querySelector("[data-mute]");
  const shown = performance.now();
  let silent = false;
  try { silent = localStorage.getItem("conduct-mute") === "yes"; } catch (error) { /* storage is off */ }

  const tone = (hertz, seconds) => {
    if (silent || !window.AudioContext) return;
    try {
      const audio = new AudioContext();
      const note = audio.createOscillator();
      note.frequency.value = hertz;
      note.connect(audio.destination);
      note.start();
      note.stop(audio.currentTime + seconds);
    } catch (error) { /* no sound here: the figure is seen */ }
  };

  if (mute) {
    const say = () => mute.setAttribute("aria-pressed", String(silent));
    say();
    mute.addEventListener("click", () => {
      silent = !silent;
      try { localStorage.setItem("conduct-mute", silent ? "yes" : "no"); } catch (error) { /* storage is off */ }
      say();
    });
  }

  if (wait && wait.dataset.running === "yes") {
    let before = Infinity;
    const tick = () => {
      const left = Number(wait.dataset.wait) - (performance.now() - shown) / 1000;
      const whole = Math.max(0, Math.ceil(left));
      if (whole !== before) {
        wait.textContent = `${whole} s`;
        if (whole > 0 && whole <= 3 && before !== Infinity) tone(660, 0.12);
        if (whole === 0) { wait.dataset.over = "yes"; tone(990, 0.5); }
      }
      before = whole;
      if (left > 0) setTimeout(tick, 100);
    };
    tick();
  }

  // What the link to the vehicle sees is taken without a press: the server says when.
  const watching = document.querySelector("[data-watch]");
  const form = forward && forward.closest("form");
  if (watching && form) {
    const look = async () => {
      try {
        const answer = await fetch(watching.dataset.watch, { method: "POST", body: new FormData(form) });
        if (answer.status === 205) { location.assign(watching.dataset.then); return; }
      } catch (error) { /* no answer: somebody may still press */ }
      setTimeout(look, 2000);
    };
    setTimeout(look, 2000);
  }

  document.addEventListener("keydown", (event) => {
    if (event.repeat || event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.target.closest("input, textarea, select, summary, a, button:not([data-forward])")) return;
    if (!FORWARD.has(event.key) || !forward) return;
    event.preventDefault();
    forward.click();
  });
})();
