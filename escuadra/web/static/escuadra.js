// The sheet in the hand: focus on the number, keys, keypad, large view, drafts, and other tablets' entries.
// Everything also works without this script: forms post, links lead, answers redraw the page.
(() => {
  "use strict";
  const FAR_AFTER_MS = 120000;
  const body = document.body;
  const sheet = () => document.getElementById("sheet");
  const field = () => document.querySelector("[data-field]");
  const input = () => (field() && field().matches("input:not([type=date])") ? field() : null);
  const far = () => document.querySelector(".far");
  const coarse = matchMedia("(pointer: coarse)");
  let touched = Date.now();
  let fieldUnit = (document.cookie.match(/escuadra_unit=(mm|cm|m|in)\b/) || ["", "mm"])[1];
  let tapped = false;
  let expiry = 0;

  const stored = (store, key, value) => {
    try {
      if (value === undefined) return store.getItem(key);
      if (value === null) store.removeItem(key);
      else store.setItem(key, value);
    } catch (error) { /* storage is off: nothing is remembered, nothing breaks */ }
    return null;
  };
  // Words come in the reader's language, once; what is to be said before they are there is said when they are.
  let words = null;
  const say = (code, values = {}) => (words[code] || code).replace(/\{(\w+)\}/g, (_, name) => values[name]);
  const learn = async () => {
    try {
      const answer = await fetch(body.dataset.words);
      if (answer.ok) words = await answer.json();
    } catch (error) { /* said again when the next page loads */ }
    words = words || {};
  };
  const known = learn();
  const saying = (put, code, values) => { if (words) put(say(code, values)); else known.then(() => put(say(code, values))); };
  const cookie = (name, value) => { document.cookie = `${name}=${value}; path=/; max-age=31536000; samesite=strict`; };
  const letters = () => stored(localStorage, "escuadra-letters") !== "off";

  // --- what was typed outlives a reload, a redraw and an error
  const restoreDraft = () => {
    const place = field();
    if (!place || !place.matches("input") || !place.dataset.draft) return;
    const draft = stored(sessionStorage, place.dataset.draft);
    if (draft && !place.value) place.value = draft;
  };
  document.addEventListener("input", (event) => {
    const key = event.target.dataset && event.target.dataset.draft;
    if (key) stored(sessionStorage, key, event.target.value || null);
  });

  const ready = () => {
    restoreDraft();
    const place = field();
    body.classList.toggle("typing", Boolean(coarse.matches && input() && (tapped || sheet().matches("[data-wants-entry]"))));
    if (place) {
      if (coarse.matches && input()) place.setAttribute("inputmode", "none");
      place.focus({ preventScroll: true });
      if (input()) place.setSelectionRange(place.value.length, place.value.length);
    }
    const pad = document.querySelector("[data-keypad]");
    if (body.classList.contains("typing") && pad && input() && getComputedStyle(pad).position === "fixed") {
      const hidden = input().getBoundingClientRect().bottom + 12 - pad.getBoundingClientRect().top;
      if (hidden > 0) window.scrollBy(0, hidden);
    }
    const open = document.querySelector(".check[data-open]");
    const run = document.querySelector(".run");
    if (open && run && run.scrollHeight > run.clientHeight) run.scrollTop = open.offsetTop - run.offsetTop - 58;
    listen();
    clearTimeout(expiry);
    const expires = sheet() && Number(sheet().dataset.expires);
    if (expires) expiry = setTimeout(() => load(sheet().dataset.place), Math.min(Math.max(expires - Date.now(), 15000) + 1000, 2e9));
    document.querySelectorAll("[data-unit-name], .entry-unit[data-unit=mm]").forEach((name) => { name.textContent = fieldUnit; });
  };

  const load = (address) => {
    if (window.htmx) window.htmx.ajax("GET", address, { target: "#sheet", swap: "outerHTML" });
    else location.assign(address);
  };

  // --- large view
  const showFar = (on) => {
    if (!far()) return;
    far().hidden = !on;
    if (!on && field()) field().focus();
  };
  setInterval(() => {
    if (sheet() && far().hidden && Date.now() - touched > FAR_AFTER_MS && !(input() && input().value)) showFar(true);
  }, 5000);

  // --- commands, by key or by their visible control
  const neighbour = (step) => {
    const rows = [...document.querySelectorAll(".run [href][data-swap]:not(.slot), .run .check[data-open]")];
    const at = rows.findIndex((row) => row.matches("[data-open]"));
    const next = rows[at + step];
    if (next) load(next.href);
  };
  const nextSlot = (step) => {
    const slots = [...document.querySelectorAll(".slot")];
    const next = slots[slots.findIndex((slot) => slot.matches(".chosen")) + step];
    if (next) load(next.href);
  };
  const units = ["mm", "cm", "m", "in"];
  const commands = {
    far: () => showFar(far().hidden),
    gaps: () => {
      const on = document.querySelector("[data-command=gaps]").getAttribute("aria-pressed") === "true";
      cookie("escuadra_gaps", on ? "off" : "on");
      load(sheet().dataset.place);
    },
    view: () => {
      const views = [...document.querySelectorAll("[data-view]")];
      const next = views[(views.findIndex((view) => view.matches(".chosen")) + 1) % views.length];
      if (next) next.click();
    },
    units: () => {
      fieldUnit = units[(units.indexOf(fieldUnit) + 1) % units.length];
      cookie("escuadra_unit", fieldUnit);
      load(sheet().dataset.place);
    },
    drawing: () => body.classList.toggle("drawing-shown"),
    keys: async () => {
      await known;
      const shown = document.querySelector(".keys-card");
      if (shown) { shown.remove(); return; }
      const card = document.createElement("section");
      card.className = "keys-card";
      card.setAttribute("aria-label", say("js.keys"));
      const rows = [[say("js.key.arrows"), "arrows"], [say("js.key.digits"), "digits"], ["m", "m"], ["r", "r"], ["b b", "b"], ["g", "g"], ["v", "v"],
        ["f", "f"], ["d", "d"], ["u", "u"], ["z", "z"], ["?", "card"]];
      for (const [key, what] of rows) {
        const left = document.createElement("kbd");
        left.textContent = key;
        const right = document.createElement("span");
        right.textContent = say(`js.does.${what}`);
        card.append(left, right);
      }
      const label = document.createElement("label");
      label.className = "wide";
      const box = document.createElement("input");
      box.type = "checkbox";
      box.checked = letters();
      box.addEventListener("change", () => stored(localStorage, "escuadra-letters", box.checked ? "on" : "off"));
      label.append(box, say("js.letters"));
      card.append(label);
      body.append(card);
    },
  };
  const byKey = { f: "far", g: "gaps", v: "view", u: "units", "?": "keys" };

  document.addEventListener("keydown", (event) => {
    touched = Date.now();
    if (!sheet() || event.ctrlKey || event.metaKey || event.altKey) return;
    if (far() && !far().hidden && event.key !== "f") {
      showFar(false);
      if (!/^[\d.,-]$/.test(event.key)) { event.preventDefault(); return; }
    }
    const typingElsewhere = event.target.matches("textarea, select, input:not([data-field])");
    if (typingElsewhere && !(event.target.type === "radio" && /^[\d.,-]$/.test(event.key))) return;
    if (event.key === "Escape" && document.querySelector(".keys-card")) { commands.keys(); return; }
    // A date field's own keys stay its own.
    if (event.target.matches("[type=date]")) return;
    const place = input();
    const empty = !place || !place.value;
    if (/^[\d.,-]$/.test(event.key) && place && event.target !== place) { place.focus(); return; }
    if (event.key === "ArrowDown" || event.key === "ArrowUp") {
      event.preventDefault();
      neighbour(event.key === "ArrowDown" ? 1 : -1);
    } else if ((event.key === "ArrowRight" || event.key === "ArrowLeft") && empty) {
      event.preventDefault();
      nextSlot(event.key === "ArrowRight" ? 1 : -1);
    } else if (empty && letters() && !event.repeat && event.key.length === 1) {
      if (place && place.classList.contains("wide-field")) return;
      const key = event.key.toLowerCase();
      const control = byKey[key] ? null : [...document.querySelectorAll(`[data-key="${CSS.escape(key)}"]`)].find((one) => one.offsetParent);
      if (byKey[key]) { event.preventDefault(); commands[byKey[key]](); }
      else if (control) {
        event.preventDefault();
        if (control.dataset.hold) askTwice(control);
        else control.click();
      }
    }
  });
  document.addEventListener("pointerdown", () => { touched = Date.now(); });

  document.addEventListener("click", (event) => {
    if (far() && !far().hidden && event.target.closest(".far")) { showFar(false); return; }
    const command = event.target.closest("[data-command]");
    if (command && sheet()) { event.preventDefault(); commands[command.dataset.command](); return; }
    const view = event.target.closest("[data-view]");
    if (view) cookie("escuadra_view", view.dataset.view);
    const link = event.target.closest("a[data-swap], a[data-view]");
    if (link && window.htmx && !event.ctrlKey && !event.metaKey) {
      event.preventDefault();
      tapped = link.matches(".slot");
      load(link.href);
      return;
    }
    if (coarse.matches && event.target === input()) { tapped = true; ready(); return; }
    const tried = event.target.closest("[data-try]");
    if (tried) {
      const kind = tried.dataset.try;
      const asked = { method: "POST", body: document.getElementById(`try-${kind}`).value };
      fetch(`/api/compute/${kind}`, asked).then((answer) => answer.json()).then((found) => {
        document.getElementById(`answer-${kind}`).textContent = JSON.stringify(found, null, 1);
      }, () => offline(true));
      return;
    }
    if (event.target.closest(".entry-record") && take()) { event.preventDefault(); return; }
    const key = event.target.closest("[data-type]");
    if (key) press(key.dataset.type);
  });

  const press = (key) => {
    const place = input();
    if (!place) return;
    if (key === "undo") { document.querySelector("[data-key=z]").click(); return; }
    if (key === "record" && take()) return;
    if (key === "record") { place.form.requestSubmit(place.form.querySelector(".entry-record")); return; }
    const unit = /^(mm|cm|m|in)$/.test(key);
    if (key === "back") place.value = place.value.slice(0, -1);
    else if (unit) place.value = `${place.value.replace(/\s*[a-z]+$/, "")} ${key}`;
    else place.value += key === "space" ? " " : key;
    place.dispatchEvent(new Event("input", { bubbles: true }));
  };

  // The unit that is meant where none is typed goes along as typed text, so that the log keeps it.
  document.addEventListener("htmx:configRequest", (event) => {
    const typed = event.detail.parameters.typed;
    const asked = document.querySelector(".entry-unit[data-unit=mm]");
    if (typed && asked && fieldUnit !== "mm" && /^[\d\s.,/-]+$/.test(typed)) {
      event.detail.parameters.typed = `${typed} ${fieldUnit}`;
    }
  });

  // --- what spoils much is held for half a second, or its key pressed twice within two
  const HOLD_MS = 500;
  const TWICE_MS = 2000;
  const tell = (button, code, values) => {
    button.told = code;
    saying((text) => { if (button.told === code) button.querySelector("[data-hold-note]").textContent = text; }, code, values);
    clearTimeout(button.armedFor);
    button.armedFor = setTimeout(() => disarm(button), TWICE_MS);
  };
  const disarm = (button) => {
    delete button.dataset.armed;
    button.told = "";
    button.querySelector("[data-hold-note]").textContent = button.dataset.hold;
  };
  const sure = (button) => {
    disarm(button);
    button.dataset.sure = "yes";
    button.form.requestSubmit(button);
    delete button.dataset.sure;
  };
  const askTwice = (button) => {
    if (button.dataset.armed) { sure(button); return; }
    button.dataset.armed = "yes";
    tell(button, "js.press_again", { key: button.dataset.key });
  };
  document.addEventListener("pointerdown", (event) => {
    const button = event.target.closest("[data-hold]");
    if (!button || event.button) return;
    button.classList.add("held");
    const held = setTimeout(() => { button.classList.remove("held"); sure(button); }, HOLD_MS);
    const let_go = () => {
      clearTimeout(held);
      if (button.classList.contains("held")) tell(button, "js.hold");
      button.classList.remove("held");
    };
    for (const end of ["pointerup", "pointercancel", "pointerleave"]) button.addEventListener(end, let_go, { once: true });
  });
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-hold]");
    if (!button) return;
    event.preventDefault();
    // A click that no pointer made is a key on the focused button.
    if (event.detail === 0 && event.isTrusted) askTwice(button);
  }, true);

  // --- a doubled press is one entry; a slow answer is told; a lost connection loses nothing
  let unanswered = 0;
  let asked = 0;
  let waiting = null;
  document.addEventListener("submit", (event) => {
    const form = event.target;
    // A form that keeps itself is sent by its button when it knows what was kept.
    if (form.matches("[data-keeps]") && unanswered) { event.preventDefault(); waiting = { form, button: event.submitter }; return; }
    if (form.dataset.sent && (!window.htmx || form.matches("[data-once]"))) { event.preventDefault(); return; }
    form.dataset.sent = "yes";
    const button = event.submitter || form.querySelector("button");
    if (button) {
      if (!button.dataset.working) saying((text) => { button.dataset.working = text; }, "js.working");
      button.classList.add("working");
      button.setAttribute("aria-busy", "true");
    }
  });
  const rested = () => document.querySelectorAll(".working").forEach((button) => {
    button.classList.remove("working");
    button.removeAttribute("aria-busy");
    if (button.form) delete button.form.dataset.sent;
  });
  window.addEventListener("pageshow", rested);
  const offline = (on) => {
    const shown = document.querySelector(".offline");
    if (!on && shown) shown.remove();
    if (on && !shown) {
      const bar = document.createElement("p");
      bar.className = "offline";
      bar.setAttribute("role", "alert");
      saying((text) => { bar.textContent = text; }, "js.no_answer");
      body.append(bar);
    }
  };
  document.addEventListener("htmx:sendError", () => { offline(true); rested(); });
  document.addEventListener("htmx:responseError", () => { offline(true); rested(); });
  document.addEventListener("htmx:beforeRequest", (event) => {
    const form = event.target.closest("[data-keeps]");
    if (form && (form.dataset.sent || waiting)) event.preventDefault();
  });
  document.addEventListener("htmx:beforeSend", (event) => {
    unanswered += 1;
    event.detail.xhr.asked = asked += 1;
  });
  document.addEventListener("htmx:afterRequest", () => {
    unanswered = Math.max(0, unanswered - 1);
    rested();
    if (!waiting || unanswered) return;
    const { form, button } = waiting;
    waiting = null;
    form.requestSubmit(button);
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    offline(false);
    // A page that was asked for before something else was is older than what that brings.
    if (event.detail.requestConfig.verb === "get" && event.detail.xhr.asked < asked) event.detail.shouldSwap = false;
    const sent = event.detail.requestConfig && event.detail.requestConfig.verb === "post";
    const kept = event.detail.xhr.status >= 400 || event.detail.serverResponse.includes('id="entry-trouble"');
    if (sent && !kept && field() && field().dataset.draft) stored(sessionStorage, field().dataset.draft, null);
  });
  document.addEventListener("htmx:afterSettle", ready);

  // --- bays: a thing is dragged in the drawing and its typed place follows; nothing is kept until the form is
  const dragging = () => {
    const box = document.querySelector("[data-bay-drawing]");
    if (!box || !matchMedia("(pointer: fine)").matches) return;
    box.querySelectorAll(".thing").forEach((thing) => {
      const row = document.querySelector(`[data-thing-row="${CSS.escape(thing.dataset.thing)}"]`);
      if (!row) return;
      thing.classList.add("movable");
      const cells = ["x", "y"].map((name) => row.querySelector(`[name$="-${name}"]`));
      thing.addEventListener("pointerdown", (down) => {
        const drawing = thing.ownerSVGElement;
        const units = drawing.viewBox.baseVal.width / drawing.getBoundingClientRect().width / Number(thing.dataset.scale);
        const start = cells.map((cell) => Number(cell.value));
        if (start.some(Number.isNaN)) return;
        const before = (thing.dataset.moved || "0 0").split(" ").map(Number);
        thing.setPointerCapture(down.pointerId);
        const move = (event) => {
          const by = [(event.clientX - down.clientX) * units, (down.clientY - event.clientY) * units].map((mm) => Math.round(mm / 10) * 10);
          const moved = [before[0] + by[0], before[1] + by[1]];
          cells.forEach((cell, k) => { cell.value = String(start[k] + by[k]); });
          thing.dataset.moved = moved.join(" ");
          const scale = Number(thing.dataset.scale);
          thing.setAttribute("transform", `translate(${moved[0] * scale} ${-moved[1] * scale})`);
        };
        thing.addEventListener("pointermove", move);
        thing.addEventListener("pointerup", () => thing.removeEventListener("pointermove", move), { once: true });
      });
    });
  };
  const ofVehicle = () => {
    const chosen = document.querySelector("[data-vehicle]");
    if (!chosen) return;
    document.querySelectorAll("[data-of]").forEach((label) => {
      label.hidden = label.dataset.of !== chosen.value;
      if (label.hidden) label.querySelector("input").checked = false;
    });
  };
  document.addEventListener("change", (event) => { if (event.target.matches("[data-vehicle]")) ofVehicle(); });
  document.addEventListener("keydown", (event) => {
    const link = document.querySelector("[data-far-link]");
    const idle = !event.target.matches("input, textarea, select") || (event.target.id === "typed" && !event.target.value);
    if (link && event.key === "f" && idle && letters() && !event.ctrlKey && !event.metaKey) { event.preventDefault(); link.click(); }
  });

  // --- others' entries
  const follow = () => {
    if (!sheet() || !window.EventSource) return;
    const changes = new EventSource(`/jobs/${sheet().dataset.job}/changes`);
    changes.addEventListener("changed", (event) => {
      if (Number(event.data) <= Number(sheet().dataset.count)) return;
      const look = () => {
        if (Number(event.data) <= Number(sheet().dataset.count)) return;
        // One's own entry is on its way, and brings the sheet with it.
        if (unanswered) setTimeout(look, 300);
        else load(sheet().dataset.place);
      };
      setTimeout(look, 300);
    });
    window.addEventListener("pagehide", () => changes.close());
  };

  // --- a device shows what it reads; only a key takes it
  let device = null;
  let shown = null;
  const listen = () => {
    const place = document.querySelector("[data-device]");
    const address = place && !document.hidden ? place.dataset.device : "";
    if (device && device.address === address) { show(); return; }
    if (device) device.source.close();
    device = shown = null;
    if (!address || !window.EventSource) return;
    const source = new EventSource(address);
    device = { address, source };
    source.addEventListener("reading", (event) => { shown = JSON.parse(event.data); show(); });
    source.addEventListener("lost", (event) => { shown = { said: "", remark: event.data }; show(); });
    // Refused once, the browser does not ask again by itself.
    source.addEventListener("error", () => {
      if (source.readyState !== EventSource.CLOSED || !device || device.source !== source) return;
      device = null;
      setTimeout(listen, 2000);
    });
  };
  const show = () => {
    const place = document.querySelector("[data-device]");
    if (!place || !shown) return;
    place.hidden = false;
    document.querySelectorAll("[data-device-far]").forEach((line) => { line.hidden = !shown.said; });
    document.querySelectorAll("[data-device-value]").forEach((value) => { value.textContent = shown.said; });
    const note = place.querySelector("[data-device-note]");
    const { remark, serial } = shown;
    if (remark) note.textContent = remark;
    else saying((text) => { if (shown && shown.serial === serial) note.textContent = text; }, "js.device_takes", { serial });
    note.classList.toggle("state-out", !shown.said);
  };
  const take = () => {
    const place = input();
    const here = document.querySelector("[data-device]");
    // What was shown for the place before is not this place's reading.
    if (!shown || !shown.said || !place || place.value || !here || !device || device.address !== here.dataset.device) return false;
    const form = place.form;
    place.value = shown.typed;
    form.elements.tool.value = shown.tool;
    form.elements.device.value = shown.serial;
    form.elements.proposed.value = shown.typed;
    form.querySelectorAll("[name=word]").forEach((word) => { word.checked = word.value === shown.word; });
    form.requestSubmit(form.querySelector(".entry-record"));
    return true;
  };
  // Where a device's first reading for this place is still awaited, an empty field is not sent.
  const awaited = () => {
    const place = input();
    const here = document.querySelector("[data-device]");
    return place && !place.value && here && device && (!shown || device.address !== here.dataset.device);
  };
  document.addEventListener("keydown", (event) => {
    if (event.key !== "Enter" || event.repeat || event.target !== input()) return;
    if (take() || awaited()) event.preventDefault();
  });
  document.addEventListener("visibilitychange", listen);
  window.addEventListener("pagehide", () => { if (device) device.source.close(); });

  // --- what a device sees is shown live; only what is taken counts
  const watch = () => {
    const seen = document.querySelector("[data-live]");
    if (!seen || !window.EventSource) return;
    const looks = new EventSource(seen.dataset.live);
    looks.addEventListener("look", (event) => { seen.innerHTML = event.data; });
    window.addEventListener("pagehide", () => looks.close());
    document.addEventListener("keydown", (event) => {
      if (event.key === "Enter" && !event.repeat && event.target === body) document.querySelector("[data-take]").click();
    });
  };

  document.addEventListener("DOMContentLoaded", () => { if (sheet()) ready(); follow(); watch(); dragging(); ofVehicle(); });
})();
