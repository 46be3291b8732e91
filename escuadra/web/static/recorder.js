// The drive recorded on this device alone: positions into the browser's own store, counted as the garage counts them,
// handed over when it answers again. Nothing that was received is lost by a reload, a dead network or a sleeping screen.
(() => {
  "use strict";
  const page = document.querySelector("[data-recorder]");
  const KEY = page.dataset.recorder;
  const NEEDS = JSON.parse(page.dataset.needs);
  const SAID = JSON.parse(page.dataset.said);
  const ALONE = page.dataset.alone === "yes";
  const MOVES_KMH = 5;
  const find = (name) => page.querySelector(`[data-${name}]`);
  const word = find("word"), trouble = find("trouble"), kept = find("kept");
  const start = find("start"), stop = find("stop"), over = find("hand-over");
  let samples = [], store = null, watching = null, lock = null, audio = null, before = "";

  const wrong = (text) => { trouble.textContent = text; trouble.hidden = !text; };
  const asked = (request) => new Promise((resolve, reject) => {
    request.onsuccess = () => resolve(request.result);
    request.onerror = () => reject(request.error);
  });
  const open = () => {
    const request = indexedDB.open("escuadra-drive", 1);
    request.onupgradeneeded = () => {
      request.result.createObjectStore("samples", { keyPath: ["drive", "t"] });
      request.result.createObjectStore("drives", { keyPath: "drive" });
    };
    return asked(request);
  };
  const table = (name, mode) => store.transaction(name, mode).objectStore(name);
  const ofDrive = () => IDBKeyRange.bound([KEY, -Infinity], [KEY, Infinity]);

  // --- counting, as the calculation "drive" has it
  const shortWay = (turn) => ((turn + 180) % 360 + 360) % 360 - 180;
  const metres = (a, b) => {
    const shrink = Math.cos(a.lat * Math.PI / 180);
    return Math.hypot((b.lon - a.lon) * 111320 * shrink, (b.lat - a.lat) * 110950);
  };
  // Speed and direction where the receiver does not tell them: from the place about three seconds before.
  const completed = (sample) => {
    let k = samples.length - 1;
    while (k > 0 && sample.t - samples[k].t < 2) k -= 1;
    const from = samples[k];
    const near = from && sample.t - from.t < 8;
    const far = near ? metres(from, sample) : 0;
    if (sample.speed === null) sample.speed = near ? far / (sample.t - from.t) * 3.6 : 0;
    if (sample.heading === null) {
      const last = samples.length ? samples[samples.length - 1].heading : 0;
      const shrink = Math.cos(sample.lat * Math.PI / 180);
      sample.heading = near && sample.speed > 2
        ? Math.atan2((sample.lon - from.lon) * shrink, sample.lat - from.lat) * 180 / Math.PI : last;
    }
    return sample;
  };
  const why = (need, i) => {
    const a = samples[i], b = samples[i + 1];
    if (b.t - a.t > need.gap) return "gap";
    if (Math.min(a.speed, b.speed) < need.least) return "slow";
    if (Math.max(a.speed, b.speed) > need.most) return "fast";
    if (need.radius === null) return "counts";
    let first = i, last = i + 1, way = 0, turn = 0;
    while (first > 0 && samples[first - 1].t >= a.t - need.window / 2) first -= 1;
    while (last < samples.length - 1 && samples[last + 1].t <= b.t + need.window / 2) last += 1;
    for (let k = first; k < last; k += 1) {
      way += (samples[k].speed + samples[k + 1].speed) / 2 * (samples[k + 1].t - samples[k].t) / 3.6;
      turn += shortWay(samples[k + 1].heading - samples[k].heading);
    }
    return way / Math.abs(turn * Math.PI / 180) < need.radius ? "bend" : "counts";
  };
  const tally = NEEDS.map(() => ({ done: 0, m: 0, s: 0, lost: {} }));
  // An interval is judged for good once its window is full; the newest ones only for the word that is shown.
  const count = () => {
    NEEDS.forEach((need, n) => {
      const sum = tally[n];
      for (; sum.done < samples.length - 1; sum.done += 1) {
        const a = samples[sum.done], b = samples[sum.done + 1];
        if (samples[samples.length - 1].t < b.t + need.window / 2) break;
        const what = why(need, sum.done);
        if (what === "counts") {
          sum.m += (a.speed + b.speed) / 2 * (b.t - a.t) / 3.6;
          sum.s += b.t - a.t;
        } else sum.lost[what] = (sum.lost[what] || 0) + b.t - a.t;
      }
    });
  };
  const leftOf = (need, sum) => [
    need.left_km === null ? null : Math.max(0, need.left_km - sum.m / 1000),
    need.left_s === null ? null : Math.max(0, need.left_s - sum.s),
  ];
  const enough = (need, n) => {
    const left = leftOf(need, tally[n]).filter((one) => one !== null);
    return left.length > 0 && left.every((one) => one <= 0);
  };

  // --- what is shown and heard
  const tones = (hertz, times) => {
    if (!ALONE || !audio) return;
    for (let k = 0; k < times; k += 1) {
      const note = audio.createOscillator();
      note.frequency.value = hertz;
      note.connect(audio.destination);
      note.start(audio.currentTime + 0.35 * k);
      note.stop(audio.currentTime + 0.35 * k + 0.18);
    }
  };
  const figure = (value) => value.toFixed(1);
  const show = () => {
    const now = samples[samples.length - 1];
    kept.textContent = samples.length ? `${samples.length} · ${SAID.kept}` : "";
    over.disabled = samples.length < 4;
    if (!now) return;
    count();
    const open = NEEDS.findIndex((need, n) => !enough(need, n));
    const n = open < 0 ? 0 : open;
    const fresh = Date.now() / 1000 - now.t < 2 * NEEDS[n].gap + 3;
    let what = samples.length < 2 || !fresh ? "gap" : why(NEEDS[n], samples.length - 2);
    if (open < 0) what = "done";
    page.dataset.state = what;
    word.textContent = SAID[what];
    find("speed").textContent = Math.round(now.speed / NEEDS[n].per);
    find("speed-unit").textContent = NEEDS[n].speed;
    find("list").replaceChildren(...NEEDS.map((need, k) => {
      const line = document.createElement("p");
      const [km, s] = leftOf(need, tally[k]);
      const parts = [];
      if (km !== null) parts.push(`${figure(km / need.per)} ${need.unit}`);
      if (s !== null) parts.push(`${figure(s / 60)} min`);
      line.textContent = `${need.name}: ${figure(tally[k].m / 1000 / need.per)} ${need.unit}, ${figure(tally[k].s / 60)} min ${SAID.counts}`
        + (parts.length ? `; ${SAID.left} ${parts.join(", ")}` : "");
      line.dataset.counted = (tally[k].m / 1000).toFixed(3);
      return line;
    }));
    find("lost").textContent = Object.entries(tally[n].lost).map(([k, s]) => `${SAID[k]} ${figure(s / 60)} min`).join(", ");
    const moves = watching !== null && fresh && now.speed > MOVES_KMH;
    document.body.classList.toggle("blank", ALONE && moves);
    if (what !== before) {
      if (what === "done") tones(990, 3);
      else if (what === "counts") tones(880, 1);
      else if (before === "counts") tones(330, 1);
      before = what;
    }
  };

  // --- recording
  const took = async (position) => {
    const at = position.coords;
    const t = position.timestamp / 1000;
    if (samples.length && t <= samples[samples.length - 1].t) return;
    const told = (value, factor) => (value === null || Number.isNaN(value) ? null : value * factor);
    const sample = { drive: KEY, t, lat: at.latitude, lon: at.longitude, speed: told(at.speed, 3.6), heading: told(at.heading, 1) };
    const row = { ...sample };
    samples.push(completed(sample));
    try { await asked(table("samples", "readwrite").put(row)); wrong(""); } catch (error) { wrong(String(error)); }
    show();
  };
  const record = async () => {
    if (watching !== null) return;
    if (!window.isSecureContext) { wrong(SAID.insecure); return; }
    if (ALONE && window.AudioContext) audio = audio || new AudioContext();
    const failed = (error) => { if (error.code === 1) { wrong(SAID.denied); halt(); } else show(); };
    watching = navigator.geolocation.watchPosition(took, failed, { enableHighAccuracy: true, maximumAge: 0, timeout: 20000 });
    start.hidden = true;
    stop.hidden = false;
    await asked(table("drives", "readwrite").put({ drive: KEY, recording: true }));
    try { lock = await navigator.wakeLock.request("screen"); } catch (error) { /* the screen may sleep: what is kept stays */ }
  };
  const halt = async () => {
    if (watching !== null) navigator.geolocation.clearWatch(watching);
    watching = null;
    start.hidden = false;
    stop.hidden = true;
    document.body.classList.remove("blank");
    if (lock) { lock.release(); lock = null; }
    if (store) await asked(table("drives", "readwrite").put({ drive: KEY, recording: false }));
  };
  const handOver = async () => {
    await halt();
    over.disabled = true;
    const rows = await asked(table("samples").getAll(ofDrive()));
    const cell = (value) => (value === null ? "" : value);
    const lines = rows.map((one) => [one.t.toFixed(3), one.lat, one.lon, cell(one.speed), cell(one.heading)].join(","));
    const form = new FormData();
    form.set("token", page.dataset.token);
    // The same samples are the same press: sent twice they are kept once.
    form.set("entry", `phone-${KEY.replace(/\W/g, "-")}-${rows.length}-${Math.round(rows[rows.length - 1].t * 1000)}`);
    form.set("source", "phone");
    form.set("file", new Blob([["t,lat,lon,speed,heading", ...lines].join("\n")], { type: "text/csv" }), "phone.csv");
    try {
      const answer = await fetch(page.dataset.send, { method: "POST", body: form });
      if (!answer.ok) { wrong(await answer.text()); over.disabled = false; return; }
    } catch (error) {
      wrong(SAID.not_now);
      over.disabled = false;
      return;
    }
    await asked(table("samples", "readwrite").delete(ofDrive()));
    wrong("");
    kept.textContent = SAID.handed_over;
    location.assign(page.dataset.back);
  };

  const begin = async () => {
    if (!window.isSecureContext || !window.indexedDB) { wrong(SAID.insecure); return; }
    store = await open();
    for (const row of await asked(table("samples").getAll(ofDrive()))) samples.push(completed({ ...row }));
    start.addEventListener("click", record);
    stop.addEventListener("click", halt);
    over.addEventListener("click", handOver);
    document.addEventListener("visibilitychange", async () => {
      if (document.visibilityState !== "visible" || watching === null) return;
      try { lock = await navigator.wakeLock.request("screen"); } catch (error) { /* as before */ }
    });
    show();
    setInterval(show, 1000);
    const known = await asked(table("drives").get(KEY));
    if (known && known.recording) record();
    if (navigator.serviceWorker) {
      await navigator.serviceWorker.register("/visits/recorder-worker.js");
      const ready = await navigator.serviceWorker.ready;
      const channel = new MessageChannel();
      channel.port1.onmessage = () => { page.dataset.ready = "yes"; };
      const parts = [...document.querySelectorAll("script[src], link[href]")].map((one) => one.src || one.href);
      ready.active.postMessage([location.pathname, ...parts], [channel.port2]);
    }
  };
  begin().catch((error) => wrong(String(error)));
})();
