"use strict";
// What readers choose: each choice of all controls is a variant of the page, which stands in it as the lines that differ.
(() => {
  const { controls, base } = JSON.parse(document.getElementById("controls").textContent);
  const { words } = JSON.parse(document.getElementById("words").textContent);
  const say = (phrase, parts = {}) => (words[phrase] ?? phrase).replace(/\{(\w+)\}/g, (hole, name) => parts[name] ?? hole);
  const body = document.getElementById("body"), form = document.getElementById("chosen-by"), status = document.getElementById("found");
  const chosen = controls.map(control => control.first);
  // What the page shows: it may be behind what is chosen for as long as that is unpacked.
  let shown = chosen.slice();

  // ---- What a choice is called, in words and in the address ----
  const members = (control, choice) => choice === 0 ? [] : control.several
    ? control.choices.filter((_, i) => choice >> i & 1)
    : [control.choices[choice - 1]];
  const wordsOf = (control, choice) => !control.members ? control.choices[choice].words
    : choice === 0 ? say("all") : members(control, choice).map(own => own.words).join(", ");
  function title() {
    const named = controls.map((control, i) => `${control.label} ${wordsOf(control, shown[i])}`);
    document.getElementById("choices").textContent = named.join(" · ");
    const changed = named.filter((_, i) => shown[i] !== controls[i].first);
    document.title = [document.querySelector("h1").textContent, ...changed].join(" · ");
  }
  function address() {
    const pairs = new URLSearchParams();
    controls.forEach((control, i) => {
      if (shown[i] === control.first) return;
      const keys = control.members ? members(control, shown[i]) : [control.choices[shown[i]]];
      keys.forEach(own => pairs.append(control.name, own.key));
    });
    const text = String(pairs);
    history.replaceState(null, "", text ? `#${text}` : location.pathname + location.search);
  }
  function fromAddress() {
    const pairs = new URLSearchParams(location.hash.slice(1)), unknown = [];
    controls.forEach((control, i) => {
      chosen[i] = control.first;
      const keys = pairs.getAll(control.name);
      if (!keys.length) return;
      const places = keys.map(key => control.choices.findIndex(own => own.key === key));
      const wrong = keys.filter((_, at) => places[at] < 0 || (at && !control.several));
      if (wrong.length) unknown.push(...wrong.map(key => `${control.name}=${key}`));
      else chosen[i] = !control.members ? places[0] : control.several ? whole(control, places.reduce((set, at) => set | 1 << at, 0)) : places[0] + 1;
    });
    for (const name of new Set(pairs.keys()))
      if (!controls.some(control => control.name === name)) unknown.push(name);
    if (unknown.length) status.textContent = say("unknown in the address: {names}", { names: unknown.join(", ") });
  }
  // All members one by one are all, and so is none of them.
  const whole = (control, set) => set === (1 << control.choices.length) - 1 ? 0 : set;

  // ---- The variants: packed lines, and for each variant which of them it is made of ----
  let unpacked = null;
  const unpack = () => unpacked ??= (async () => {
    const packed = Uint8Array.from(atob(document.getElementById("variants").textContent.trim()), c => c.charCodeAt(0));
    const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("gzip"));
    return JSON.parse(await new Response(stream).text());
  })();
  let wanted = 0;
  async function show() {
    const own = ++wanted, asked = chosen.slice();
    fill();
    body.setAttribute("aria-busy", "true");
    const variant = controls.reduce((place, control, i) => place * base[i] + chosen[i], 0);
    try {
      const { lines, variants, titles } = await unpack();
      // Another choice may have been made meanwhile.
      if (own !== wanted) return;
      document.dispatchEvent(new Event("leave"));
      let at = 0;
      body.innerHTML = variants[variant].map(step => lines[at += step]).join("\n");
      document.querySelector("h1").textContent = titles[variant];
      shown = asked;
      title();
      address();
      body.removeAttribute("aria-busy");
      document.dispatchEvent(new Event("enter"));
    } catch {
      shown.forEach((choice, i) => { chosen[i] = choice; });
      fill();
      body.removeAttribute("aria-busy");
      status.textContent = say("this browser cannot show other choices");
    }
  }
  function set(i, choice) {
    if (chosen[i] === choice) return;
    chosen[i] = choice;
    status.textContent = "";
    show();
  }

  // ---- The controls themselves ----
  const el = (tag, set = {}, ...inner) => { const made = Object.assign(document.createElement(tag), set); made.append(...inner); return made; };
  const option = (text, value) => el("option", { textContent: text, value });
  const made = controls.map((control, i) => {
    if (control.several) {
      const boxes = control.choices.map((own, at) => el("input", { type: "checkbox", name: control.name, value: own.key, onchange: event => {
        const ticked = boxes.reduce((set, box, place) => set | (box.checked && chosen[i] !== 0 || place === at) << place, 0);
        set(i, whole(control, event.target.checked || chosen[i] === 0 ? ticked : chosen[i] & ~(1 << at)));
      } }));
      const labels = boxes.map((box, at) => el("label", {}, box, ` ${control.choices[at].words}`));
      form.append(el("fieldset", {}, el("legend", { textContent: control.label }), ...labels));
      return () => boxes.forEach((box, at) => { box.checked = chosen[i] >> at & 1; });
    }
    if (control.slides) {
      const reading = el("output");
      const slider = el("input", { type: "range", name: control.name, min: 0, max: control.choices.length - 1, step: 1,
        oninput: () => set(i, +slider.value) });
      form.append(el("label", {}, `${control.label} `, slider, reading));
      return () => {
        slider.value = chosen[i];
        reading.textContent = control.choices[chosen[i]].words;
        slider.setAttribute("aria-valuetext", reading.textContent);
      };
    }
    const all = control.members ? [say("all"), ...control.choices.map(own => own.words)] : control.choices.map(own => own.words);
    const list = el("select", { name: control.name, onchange: () => set(i, +list.value) }, ...all.map(option));
    form.append(el("label", {}, `${control.label} `, list));
    return () => { list.value = chosen[i]; };
  });
  const back = el("button", { type: "button", textContent: say("Reset"), onclick: () => {
    controls.forEach((control, i) => { chosen[i] = control.first; });
    status.textContent = "";
    show();
  } });
  form.append(back);
  form.addEventListener("submit", event => event.preventDefault());
  function fill() {
    made.forEach(refresh => refresh());
    back.disabled = controls.every((control, i) => chosen[i] === control.first);
  }

  // ---- Members that are clicked ----
  document.addEventListener("choose", event => {
    const { name, several } = event.detail;
    const i = controls.findIndex(control => control.members && control.choices.some(own => own.mark === name));
    if (i < 0) return;
    event.preventDefault();
    const control = controls[i], at = control.choices.findIndex(own => own.mark === name);
    if (!control.several) set(i, chosen[i] === at + 1 ? 0 : at + 1);
    else if (several) set(i, whole(control, chosen[i] ^ 1 << at));
    else set(i, chosen[i] === 1 << at ? 0 : whole(control, 1 << at));
  });
  document.addEventListener("keydown", event => {
    // In a list or a field Escape has a meaning of its own.
    if (event.key !== "Escape" || event.target.closest("input, select")) return;
    const i = controls.findIndex((control, place) => control.members && chosen[place] !== control.first);
    if (i < 0) return;
    controls.forEach((control, place) => { if (control.members) chosen[place] = control.first; });
    show();
  });

  form.hidden = false;
  addEventListener("hashchange", () => { fromAddress(); show(); });
  fromAddress();
  fill();
  if (controls.some((control, i) => chosen[i] !== control.first)) show();
})();
