"use strict";
// A lesson page: plays what is in it, at any pace and the same pitch, over and over, and shows where it is.
// Everything runs on the audio clock; nothing is fetched and nothing leaves the page.
(() => {
  const data = JSON.parse(document.getElementById("lesson-data").textContent);
  const packed = JSON.parse(document.getElementById("lesson-sounds").textContent);
  const say = data.words;
  const $ = (id) => document.getElementById(id);
  const narrow = window.matchMedia("(max-width: 720px)");
  const STRONG = 2, FADE_S = 0.005, AHEAD_S = 0.08;

  const state = { phrase: 0, layer: data.layers[data.layers.length - 1].key, pace: 100, playing: false, drag: null };
  let context = null, sources = {}, playing = null, job = 0;

  // -- what stays in the learner's browser ---------------------------------------------------------------------------
  const place = "lesson:" + data.key;
  const kept = (() => { try { return JSON.parse(localStorage.getItem(place)) || {}; } catch { return {}; } })();
  const keep = () => { try { localStorage.setItem(place, JSON.stringify(kept)); } catch { /* a browser may refuse */ } };
  kept.ticks = kept.ticks || {};

  // -- sound ---------------------------------------------------------------------------------------------------------
  function bytesOf(text) {
    const raw = atob(text), out = new Uint8Array(raw.length);
    for (let i = 0; i < raw.length; i++) out[i] = raw.charCodeAt(i);
    return out.buffer;
  }
  async function open() {
    if (!context) {
      context = new AudioContext({ latencyHint: "interactive" });
    }
    if (context.state === "suspended") await context.resume();
    for (const name of Object.keys(packed)) {
      if (!sources[name]) sources[name] = (await context.decodeAudioData(bytesOf(packed[name]))).getChannelData(0);
    }
  }
  function mixed(a, b) {
    const rate = context.sampleRate, from = Math.round((a - data.start) * rate), n = Math.round((b - a) * rate);
    const names = $("hear").value.split("+"), out = new Float32Array(n), gain = names.length > 1 ? 0.7 : 1;
    for (const name of names) {
      const sound = sources[name];
      for (let i = 0; i < n; i++) out[i] += gain * (sound[from + i] || 0);
    }
    return out;
  }
  // Waveform similarity overlap-add (Verhelst and Roelands 1993): pieces of the sound follow one another at another
  // distance, each where it fits best what the one before would have gone on with.
  async function stretched(sound, speed, length, mine) {
    if (Math.abs(speed - 1) < 1e-6) return sound.slice(0, length);
    const rate = context.sampleRate, size = 2 * Math.round(rate * 0.03), hop = size / 2, reach = Math.round(rate * 0.009);
    const pad = size + reach, x = new Float32Array(sound.length + 2 * pad);
    x.set(sound, pad);
    const out = new Float32Array(length + 2 * size), window_ = new Float32Array(size);
    for (let i = 0; i < size; i++) window_[i] = 0.5 - 0.5 * Math.cos(2 * Math.PI * (i + 0.5) / size);
    let last = -1;
    for (let k = 0; k * hop < length + hop; k++) {
      let best = Math.round((k - 1) * hop * speed) + pad;
      best = Math.max(reach, Math.min(x.length - size - reach - 1, best));
      if (last >= 0) {
        const goal = Math.min(last + hop, x.length - size);
        let top = -Infinity, found = best;
        for (let d = -reach; d <= reach; d += 2) {
          let sum = 0;
          for (let i = 0; i < size; i += 4) sum += x[goal + i] * x[best + d + i];
          if (sum > top) { top = sum; found = best + d; }
        }
        best = found;
      }
      last = best;
      for (let i = 0; i < size; i++) out[k * hop + i] += window_[i] * x[best + i];
      if (k % 150 === 149) {
        await new Promise((go) => setTimeout(go, 0));
        if (mine !== job) return null;
      }
    }
    return out.slice(hop, hop + length);
  }
  function clickInto(sound, at, strength) {
    const rate = context.sampleRate, n = Math.round(0.03 * rate), hz = strength === STRONG ? 1760 : 1320;
    for (let i = 0; i < n; i++) {
      const k = at + i;
      if (k >= 0 && k < sound.length) sound[k] += (strength ? 0.5 : 0.25) * Math.exp(-i / (0.006 * rate)) * Math.sin(2 * Math.PI * hz * i / rate);
    }
  }
  function range() {
    const phrase = data.phrases[state.phrase];
    if ($("what").value === "drag" && state.drag) return state.drag;
    if ($("what").value === "sofar") return [data.phrases[0].start, phrase.end];
    return [phrase.start, phrase.end];
  }
  function countBefore(a) {
    const own = data.phrases.find((p) => Math.abs(p.start - a) < 0.002);
    if (own) return own.count.filter(([t]) => t < a - 1e-6);
    const before = data.beats.filter(([t]) => t <= a + 0.01).map(([t]) => t);
    const beat = before.length > 1 ? before[before.length - 1] - before[before.length - 2] : 60 / (data.bpm || 100);
    return [4, 3, 2, 1].map((k) => [a - k * beat, k === 4 ? STRONG : 1]);
  }
  async function play() {
    const mine = ++job;
    stopSound();
    status(say.preparing);
    await open();
    if (mine !== job) return;
    const [a, b] = range(), speed = state.pace / 100, rate = context.sampleRate;
    const length = Math.round((b - a) / speed * rate);
    const sound = await stretched(mixed(a, b), speed, length, mine);
    if (sound === null || mine !== job) return;
    const fade = Math.min(Math.round(FADE_S * rate), length >> 1);
    for (let i = 0; i < fade; i++) { sound[i] *= i / fade; sound[length - 1 - i] *= i / fade; }
    if ($("click").checked) {
      for (const [t, strength] of data.beats) if (t >= a - 1e-3 && t < b - 1e-3) clickInto(sound, Math.round((t - a) / speed * rate), strength);
    }
    const buffer = context.createBuffer(1, length, rate);
    buffer.copyToChannel(sound, 0);
    const counted = $("countin").checked ? countBefore(a) : [];
    const lead = counted.length ? (a - counted[0][0]) / speed : 0;
    const begins = context.currentTime + AHEAD_S;
    const nodes = [];
    if (lead > 0) {
      const count = context.createBuffer(1, Math.round(lead * rate) + 1, rate), clicks = new Float32Array(count.length);
      for (const [t, strength] of counted) clickInto(clicks, Math.round((t - counted[0][0]) / speed * rate), strength);
      count.copyToChannel(clicks, 0);
      const node = context.createBufferSource();
      node.buffer = count; node.connect(context.destination); node.start(begins); nodes.push(node);
    }
    const node = context.createBufferSource();
    node.buffer = buffer; node.loop = true; node.connect(context.destination); node.start(begins + lead); nodes.push(node);
    playing = { a, b, speed, startsAt: begins + lead, seconds: length / rate, nodes };
    state.playing = true;
    $("play").textContent = say.stop;
    status(say.playing.replace("{pace}", state.pace));
  }
  function stopSound() {
    if (playing) for (const node of playing.nodes) { try { node.stop(); } catch { /* it may not have begun */ } }
    playing = null;
  }
  function stop() {
    job++;
    stopSound();
    state.playing = false;
    shown.row = "";
    $("play").textContent = say.play;
    status("");
    show();
  }
  // Where it is, in seconds of the recording: by the audio clock alone.
  function position() {
    if (!playing) return range()[0];
    const gone = context.currentTime - playing.startsAt;
    return gone < 0 ? playing.a : playing.a + (gone % playing.seconds) * playing.speed;
  }
  const again = () => { if (state.playing) play(); };

  // -- what is seen --------------------------------------------------------------------------------------------------
  function status(words) { $("status").textContent = words; }
  function lines() {
    const all = data.phrases[state.phrase].lines[state.layer] || {};
    return all[narrow.matches ? "narrow" : "wide"] || [];
  }
  function placeIn(line, time) {
    const times = line.times, xs = line.xs;
    if (time <= times[0]) return xs[0];
    for (let k = 0; k + 1 < times.length; k++) {
      if (time < times[k + 1]) return xs[k] + (time - times[k]) / (times[k + 1] - times[k] || 1) * (xs[k + 1] - xs[k]);
    }
    return xs[xs.length - 1];
  }
  function timeIn(line, x) {
    const times = line.times, xs = line.xs;
    if (x <= xs[0]) return times[0];
    for (let k = 0; k + 1 < xs.length; k++) {
      if (x < xs[k + 1]) return times[k] + (x - xs[k]) / (xs[k + 1] - xs[k] || 1) * (times[k + 1] - times[k]);
    }
    return times[times.length - 1];
  }
  function draw() {
    const phrase = data.phrases[state.phrase];
    $("name").textContent = phrase.name;
    $("lines").innerHTML = lines().map((line, k) =>
      `<div class="line" data-line="${k}"><div class="mark" hidden></div>${line.svg}<div class="head-line" hidden></div></div>`).join("");
    $("cues").innerHTML = "";
    phrase.cues.forEach(([, words], k) => {
      const span = document.createElement("span");
      span.textContent = words + (k + 1 < phrase.cues.length ? "," : "");
      $("cues").append(span, " ");
    });
    $("neck").innerHTML = phrase.neck ? phrase.neck.svg + '<div class="spot" hidden></div>' : "";
    $("words").innerHTML = "";
    for (const [label, text] of [["", phrase.advice], [say.listen, phrase.listen], ...phrase.remarks.map((r) => ["", r])]) {
      if (!text) continue;
      const p = document.createElement("p");
      p.textContent = label ? `${label}: ${text}` : text;
      $("words").append(p);
    }
    document.querySelectorAll("#phrases > li").forEach((li, k) => {
      li.classList.toggle("on", k === state.phrase);
      if (k === state.phrase && narrow.matches) li.parentElement.scrollLeft = li.offsetLeft - li.parentElement.offsetLeft;
      li.firstElementChild.setAttribute("aria-current", k === state.phrase ? "true" : "false");
    });
    show();
  }
  function show() {
    const at = position(), inside = playing !== null, phraseAt = data.phrases.findIndex((p) => at >= p.start - 1e-6 && at < p.end);
    if (inside && $("what").value === "sofar" && phraseAt >= 0 && phraseAt !== shown.phrase) { shown.phrase = phraseAt; drawFor(phraseAt); }
    const seen = shown.phrase >= 0 && inside && $("what").value === "sofar" ? shown.phrase : state.phrase;
    const phrase = data.phrases[seen], rows = rowsOf(seen);
    const row = rows.reduce((best, line, k) => (line.start <= at + 1e-6 ? k : best), 0);
    if (inside && `${seen}:${row}` !== shown.row) { shown.row = `${seen}:${row}`; bringIntoView(row); }
    document.querySelectorAll("#lines .line").forEach((element, k) => {
      const line = rows[k], head = element.querySelector(".head-line"), mark = element.querySelector(".mark");
      if (!line) return;
      head.hidden = k !== row;
      if (k === row) head.style.left = 100 * placeIn(line, at) / line.width + "%";
      const drag = state.drag && $("what").value === "drag" ? state.drag : null;
      mark.hidden = !(drag && drag[1] > line.start && drag[0] < line.end);
      if (!mark.hidden) {
        const low = placeIn(line, Math.max(drag[0], line.start)), high = placeIn(line, Math.min(drag[1], line.end));
        mark.style.left = 100 * low / line.width + "%";
        mark.style.width = 100 * (high - low) / line.width + "%";
      }
    });
    let lit = -1;
    phrase.cues.forEach(([t], k) => { if (t <= at + 1e-6) lit = k; });
    document.querySelectorAll("#cues span").forEach((span, k) => span.classList.toggle("lit", inside && k === lit));
    let chord = "";
    for (const [t, name] of phrase.chords) if (t <= at + 1e-6) chord = name;
    $("chord").textContent = chord;
    const spot = document.querySelector("#neck .spot"), note = data.notes.filter((n) => n.onset <= at + 1e-6 && n.onset + n.duration > at).pop();
    if (spot) {
      const where = inside && note && phrase.neck ? phrase.neck.spots[note.id] : null;
      spot.hidden = !where;
      if (where) { spot.style.left = 100 * where[0] / phrase.neck.width + "%"; spot.style.top = 100 * where[1] / phrase.neck.height + "%"; }
    }
  }
  // The line that sounds, above the desk that covers the page's foot.
  function bringIntoView(row) {
    const line = document.querySelectorAll("#lines .line")[row];
    if (!line) return;
    const box = line.getBoundingClientRect(), below = $("desk").getBoundingClientRect().top;
    if (box.top >= 0 && box.bottom <= below) return;
    window.scrollBy({ top: box.top - Math.max(8, (below - box.height) / 2), behavior: "auto" });
  }
  const shown = { phrase: -1, row: "" };
  function rowsOf(k) {
    const all = data.phrases[k].lines[state.layer] || {};
    return all[narrow.matches ? "narrow" : "wide"] || [];
  }
  function drawFor(k) { const own = state.phrase; state.phrase = k; const was = playing; draw(); playing = was; state.phrase = own; markNav(); }
  function markNav() {
    document.querySelectorAll("#phrases > li").forEach((li, k) => li.classList.toggle("on", k === state.phrase));
  }
  function frame() { if (state.playing) show(); requestAnimationFrame(frame); }

  // -- what one does -------------------------------------------------------------------------------------------------
  function choose(k) {
    state.phrase = Math.max(0, Math.min(data.phrases.length - 1, k));
    shown.phrase = -1;
    if ($("what").value === "drag") $("what").value = "phrase";
    state.drag = null;
    $("what").querySelector('[value="drag"]').disabled = true;
    draw();
    status(data.phrases[state.phrase].name);
    again();
  }
  function setPace(percent, chosen = true) {
    state.pace = Math.max(25, Math.min(110, Math.round(percent / 5) * 5));
    $("pace").value = state.pace;
    const bpm = data.bpm ? `, ${Math.round(data.bpm * state.pace / 100)} ${say.bpm}` : "";
    $("pacewords").textContent = `${state.pace} %${bpm}`;
    $("pace").setAttribute("aria-valuetext", $("pacewords").textContent);
    if (chosen) { kept.pace = state.pace; keep(); }
    again();
  }
  function setTheme(dark) {
    document.documentElement.dataset.theme = dark ? "dark" : "light";
    $("theme").setAttribute("aria-pressed", dark);
    kept.dark = dark; keep();
  }
  function fill() {
    data.phrases.forEach((phrase, k) => {
      const li = document.createElement("li"), button = document.createElement("button");
      button.type = "button"; button.textContent = phrase.name + (phrase.optional ? ` (${say.optional})` : "");
      button.addEventListener("click", () => choose(k));
      const ticks = document.createElement("div");
      ticks.className = "ticks"; ticks.setAttribute("role", "group"); ticks.setAttribute("aria-label", say.ticks.replace("{name}", phrase.name));
      for (const pace of data.paces) {
        const label = document.createElement("label"), box = document.createElement("input"), key = `${phrase.id}:${pace}`;
        box.type = "checkbox"; box.checked = !!kept.ticks[key];
        box.addEventListener("change", () => { kept.ticks[key] = box.checked; keep(); });
        label.append(box, ` ${pace} %`);
        ticks.append(label);
      }
      li.append(button, ticks);
      $("phrases").append(li);
    });
    for (const { key, name } of data.layers) $("layer").append(new Option(name, key));
    $("layer").value = state.layer;
    $("layerlabel").hidden = data.layers.length < 2;
    const names = Object.keys(packed);
    if (names.includes("backing")) $("hear").append(new Option(`${say.written} + ${say.backing}`, "written+backing"));
    for (const name of names) $("hear").append(new Option(say[name], name));
  }
  let from = null;
  function pointed(event) {
    const element = event.target.closest(".line");
    if (!element) return null;
    const seen = shown.phrase >= 0 && state.playing && $("what").value === "sofar" ? shown.phrase : state.phrase;
    const line = rowsOf(seen)[+element.dataset.line], box = element.getBoundingClientRect();
    return timeIn(line, (event.clientX - box.left) / box.width * line.width);
  }
  $("lines").addEventListener("pointerdown", (event) => { from = pointed(event); });
  $("lines").addEventListener("pointermove", (event) => {
    if (from === null || !(event.buttons & 1)) return;
    const to = pointed(event);
    if (to === null || Math.abs(to - from) < 0.15) return;
    state.drag = [Math.min(from, to), Math.max(from, to)];
    $("what").querySelector('[value="drag"]').disabled = false;
    $("what").value = "drag";
    show();
  });
  window.addEventListener("pointerup", () => { if (from !== null && state.drag && $("what").value === "drag") again(); from = null; });
  $("play").addEventListener("click", () => (state.playing ? stop() : play()));
  $("before").addEventListener("click", () => choose(state.phrase - 1));
  $("next").addEventListener("click", () => choose(state.phrase + 1));
  $("pace").addEventListener("change", () => setPace(+$("pace").value));
  $("what").addEventListener("change", () => { shown.phrase = -1; draw(); again(); });
  $("hear").addEventListener("change", again);
  $("click").addEventListener("change", again);
  $("countin").addEventListener("change", () => {});
  $("layer").addEventListener("change", () => { state.layer = $("layer").value; draw(); });
  $("theme").addEventListener("click", () => setTheme(document.documentElement.dataset.theme !== "dark"));
  const fitted = () => { $("more").open = !narrow.matches; draw(); };
  narrow.addEventListener("change", fitted);
  const keys = {
    " ": () => (state.playing ? stop() : play()), "ArrowLeft": () => choose(state.phrase - 1), "ArrowRight": () => choose(state.phrase + 1),
    "ArrowUp": () => setPace(state.pace + 5), "ArrowDown": () => setPace(state.pace - 5),
    "k": () => { $("click").checked = !$("click").checked; again(); },
    "o": () => { $("what").value = $("what").value === "sofar" ? "phrase" : "sofar"; shown.phrase = -1; draw(); again(); },
    "d": () => setTheme(document.documentElement.dataset.theme !== "dark"),
  };
  // Keys that what has the focus needs for itself. A phrase's name was chosen as it was tapped: Space plays it.
  function isOwn(event) {
    const target = event.target, arrow = event.key.startsWith("Arrow"), space = event.key === " ";
    if (target.tagName === "SELECT") return arrow || space;
    if (target.tagName === "INPUT") return target.type === "checkbox" ? space : arrow || space;
    return space && ((target.tagName === "BUTTON" && !target.closest("#phrases")) || target.tagName === "SUMMARY");
  }
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey || isOwn(event)) return;
    const act = keys[event.key.length === 1 ? event.key.toLowerCase() : event.key];
    if (act) { event.preventDefault(); act(); }
  });

  fill();
  setTheme(kept.dark === undefined ? window.matchMedia("(prefers-color-scheme: dark)").matches : kept.dark);
  // As it was practised last here, else as it was taught last.
  setPace(kept.pace || data.pace, false);
  fitted();
  requestAnimationFrame(frame);
  // For whoever looks into it, and for tests.
  window.lesson = {
    data, state, position, range, play, stop, choose, setPace,
    clock: () => (context ? context.currentTime : 0),
    loop: () => (playing ? { from: playing.a, to: playing.b, startsAt: playing.startsAt, seconds: playing.seconds, speed: playing.speed, buffer: playing.nodes[playing.nodes.length - 1].buffer } : null),
  };
})();
