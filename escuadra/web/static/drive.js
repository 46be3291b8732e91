// A trace sent from disk: how far it is read, and that one may leave; and whether this page may ask where it is.
(() => {
  "use strict";
  const insecure = document.querySelector("[data-insecure]");
  if (insecure && !window.isSecureContext) insecure.hidden = false;
  const form = document.querySelector("[data-trace]");
  if (!form) return;
  form.addEventListener("submit", () => {
    const shown = form.querySelector("[data-progress]");
    const entry = form.querySelector("[name=entry]").value;
    const look = async () => {
      try {
        const answer = await (await fetch(`${form.dataset.trace}?entry=${encodeURIComponent(entry)}`)).json();
        shown.textContent = answer.share === null ? "…" : `${Math.round(100 * answer.share)} %`;
      } catch (error) { return; }
      setTimeout(look, 400);
    };
    look();
  });
})();
