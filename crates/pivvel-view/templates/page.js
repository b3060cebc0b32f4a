"use strict";
// Folding, sorting, finding, marking and telling. Without this script the page shows everything.
(() => {
  const $ = (all, of = document) => [...of.querySelectorAll(all)];

  // ---- The words of the page's language ----
  const { marks, point: decimal, words } = JSON.parse(document.getElementById("words").textContent);
  const say = (phrase, parts = {}) => (words[phrase] ?? phrase).replace(/\{(\w+)\}/g, (hole, name) => parts[name] ?? hole);

  // ---- What a table is made of ----
  let tables = [];
  function readTable(table) {
    const facts = JSON.parse($(`script[data-of="${table.id}"]`)[0].textContent);
    const body = table.tBodies[0];
    const rows = $("tr", body);
    const parents = [];
    rows.forEach(row => {
      row.level = +row.dataset.l;
      row.folder = row.querySelector(".fold");
      row.parentRow = null;
      for (let level = row.level - 1; level >= 0 && !row.parentRow; level--) row.parentRow = parents[level] || null;
      // Only a row that has its members under it is the parent of what follows.
      parents.length = row.level;
      if (row.folder) parents[row.level] = row;
    });
    return { table, facts, body, rows, order: rows.slice() };
  }

  const folded = row => {
    for (let up = row.parentRow; up; up = up.parentRow)
      if (up.folder && up.folder.getAttribute("aria-expanded") === "false") return true;
    return false;
  };

  function show(of) {
    of.rows.forEach(row => row.classList.toggle("away", row.lost || (!row.found && folded(row))));
  }

  // ---- Levels that fold ----
  function fold(row, open) {
    row.folder.setAttribute("aria-expanded", open);
  }
  const folds = of => of.body.addEventListener("click", event => {
    const button = event.target.closest(".fold");
    if (!button) return;
    fold(button.closest("tr"), button.getAttribute("aria-expanded") === "false");
    show(of);
  });

  const levels = document.getElementById("levels");
  function opens(first) {
    levels.replaceChildren();
    const names = first.table.querySelector(".corner").textContent.split(" / ");
    const foldable = [...new Set(first.rows.filter(row => row.folder).map(row => row.level))];
    if (foldable.length) levels.append(say("Open to"));
    if (foldable.length) names.forEach((name, i) => {
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = name;
      button.title = say("fold everything below {level}", { level: name });
      button.addEventListener("click", () => {
        first.rows.forEach(row => row.folder && fold(row, row.level < i + 1));
        show(first);
      });
      levels.append(button);
    });
  }

  // ---- Sorting: each level by itself, totals where they are ----
  // The figure in full, without the signs that stand before it.
  const figure = cell => cell.dataset.v ?? ((cell.querySelector("a") ?? cell).lastChild?.nodeValue ?? "").replace(/,/g, "");
  const number = cell => {
    if (!cell) return null;
    const text = cell.dataset.r ?? figure(cell);
    if (text.trim() === "") return null;
    const value = /^\d{4}-\d\d-\d\d$/.test(text) ? Date.parse(text) : parseFloat(text);
    return Number.isNaN(value) ? null : value;
  };
  function sort(of, column, way) {
    const by = new Map(of.rows.map(row => [row, way && row.cells.length > 1 ? number(row.cells[column + 1]) : null]));
    // A member's value may stand in its subtotal after it.
    const units = new Map();
    of.order.forEach(row => {
      const siblings = units.get(row.parentRow) || units.set(row.parentRow, []).get(row.parentRow);
      const last = siblings[siblings.length - 1];
      const closes = last && last.row.classList.contains("heading") && last.row.level === row.level
        && row.classList.contains("subtotal") && last.row.dataset.m === row.dataset.m;
      if (closes) { last.close = row; last.value = by.get(row); }
      else siblings.push({ row, value: by.get(row), last: row.classList.contains("grand") ? 2 : row.hasAttribute("data-made") ? 1 : 0 });
    });
    const emit = parent => (units.get(parent) || []).flatMap(unit =>
      [unit.row, ...emit(unit.row), ...(unit.close ? [unit.close] : [])]);
    if (way) units.forEach(siblings => {
      const grandFirst = siblings.length && siblings[0].last === 2;
      siblings.sort((a, b) => {
        if (a.last !== b.last) return grandFirst && (a.last === 2 || b.last === 2) ? b.last - a.last : a.last - b.last;
        if (a.value === null || b.value === null) return (a.value === null) - (b.value === null);
        return way === "ascending" ? a.value - b.value : b.value - a.value;
      });
    });
    const sorted = way ? emit(null) : of.order;
    of.body.append(...sorted);
    of.rows = sorted.slice();
    $("th[aria-sort]", of.table).forEach(th => th.removeAttribute("aria-sort"));
    if (way) $(`th[data-c="${column}"]`, of.table).forEach(th => th.setAttribute("aria-sort", way));
  }
  const sorts = of => $("th[data-c]", of.table).forEach(th => {
    const label = th.querySelector("bdi");
    if (!th.querySelector("a")) {
      const button = document.createElement("button");
      button.type = "button";
      label.replaceWith(button);
      button.append(label);
    }
    th.title = say("sort by this column");
    th.addEventListener("click", event => {
      if (event.target.closest("a")) return;
      const now = th.getAttribute("aria-sort");
      sort(of, +th.dataset.c, now === null ? "descending" : now === "descending" ? "ascending" : null);
    });
  });

  // ---- Finding members ----
  const find = document.getElementById("find"), found = document.getElementById("found");
  function seek() {
    const wanted = find.value.trim().toLocaleLowerCase();
    let count = 0;
    tables.forEach(of => {
      of.rows.forEach(row => { row.lost = wanted !== "" && !row.classList.contains("grand"); row.found = false; });
      if (wanted) of.rows.forEach(row => {
        if (row.classList.contains("grand") || !row.cells[0].textContent.toLocaleLowerCase().includes(wanted)) return;
        count += row.cells.length > 1;
        for (let up = row; up; up = up.parentRow) { up.lost = false; up.found = true; }
        row.hit = true;
      });
      // What is under a member that was found stays with it.
      of.rows.forEach(row => {
        for (let up = row.parentRow; up && wanted; up = up.parentRow) if (up.hit) row.lost = false;
      });
      of.rows.forEach(row => { row.hit = false; });
      show(of);
    });
    $("svg.chart [data-t]").forEach(shape =>
      shape.classList.toggle("dim", wanted !== "" && !shape.dataset.t.toLocaleLowerCase().includes(wanted)));
    found.textContent = wanted ? say("{count} shown; totals cover all", { count }) : "";
  }
  find.addEventListener("input", seek);

  // ---- Pointing at a member marks it everywhere ----
  // Members that were clicked stay marked; one that is pointed at is marked beside them.
  let marked = "", pinned = [];
  function remark() {
    $(".marked").forEach(el => el.classList.remove("marked"));
    for (const name of new Set([marked, ...pinned]))
      if (name) $(`[data-m~="${name}"]`).forEach(el => el.classList.add("marked"));
  }
  function mark(name) {
    if (name === marked) return;
    marked = name;
    remark();
  }
  // A page with controls may take a member as a choice; where it does not, the member stays marked.
  function choose(target, several) {
    const el = target.closest && target.closest("[data-m]");
    if (!el || target.closest("a, .fold, th[data-c]")) return;
    const name = el.dataset.m.split(" ")[0];
    const taken = !document.dispatchEvent(new CustomEvent("choose", { detail: { name, several }, cancelable: true }));
    if (taken) return;
    const again = pinned.includes(name);
    pinned = several ? pinned.filter(own => own !== name) : [];
    if (!again) pinned.push(name);
    remark();
  }
  document.addEventListener("click", event => {
    // A cell is no member, and a heading that sorts has been heard; text that is being marked is no click. What is
    // marked is asked for last, since a browser lays the page out for it.
    if (event.target.closest("td, th[data-c]") || !getSelection().isCollapsed) return;
    choose(event.target, event.ctrlKey || event.metaKey);
  });
  document.addEventListener("keydown", event => {
    if (event.key === "Escape" && pinned.length) { pinned = []; remark(); }
    const on = event.target.closest && event.target.closest("tbody th, tbody td, svg.chart [data-m]");
    if (event.key !== "Enter" || !on || event.target.closest("a, button")) return;
    event.preventDefault();
    choose(on.matches("td") ? on.parentElement.cells[0] : on, event.ctrlKey || event.metaKey);
  });

  // ---- Telling figures in full ----
  const tip = document.getElementById("tip");
  const text = (tag, content) => { const el = document.createElement(tag); el.textContent = content; return el; };
  const full = value => {
    const parts = /^(-?)(\d+)(\.\d+)?$/.exec(value);
    return parts ? parts[1] + parts[2].replace(/\B(?=(\d{3})+$)/g, marks) + (parts[3] || "").replace(".", decimal) : value;
  };
  function path(row) {
    const names = [];
    for (let up = row; up; up = up.parentRow) names.unshift(up.cells[0].textContent);
    return names;
  }
  function place(of, cell) {
    const [emphasis, scale, position, rule] = cell.dataset.p.split(":");
    const said = of.facts.emphases[emphasis], on = said.s[scale];
    const lines = [];
    if (rule !== "") lines.push(say("rule: {rule}", { rule: said.r[rule] }));
    if (on && position !== "") {
      const percent = Math.round(100 * position);
      const way = { percent: Math.abs(percent), low: on.lo, high: on.hi, middle: on.mid ?? say("the middle") };
      const where = said.d
        ? say(percent < 0 ? "{percent} % of the way down from {middle}" : "{percent} % of the way up from {middle}", way)
        : say(on.lo === undefined ? "{percent} % of the way up" : "{percent} % of the way from {low} to {high}", way);
      const mean = on.mean === undefined ? "" : "; " + say("mean {number}", { number: on.mean });
      lines.push(say("{measure}: {place} among {count} cells, {levels}", { measure: said.by, place: where, count: on.n, levels: on.t }) + mean);
    }
    return lines;
  }
  function tell(target) {
    const cell = target && target.closest && target.closest("tbody td");
    const shape = !cell && target && target.closest && target.closest("svg.chart [data-w]");
    if (!cell && !shape) { tip.hidden = true; return; }
    const of = cell && tables.find(of => of.table === cell.closest("table"));
    tip.replaceChildren();
    if (cell) {
      const column = of.facts.columns[cell.cellIndex - 1];
      if (!column) { tip.hidden = true; return; }
      const names = [...path(cell.parentElement), ...(column.p.length ? column.p : [])];
      tip.append(text("p", names.join(" · ")));
      const line = text("p", `${column.m}${column.h ? "" : ": "}`);
      if (!column.h) line.append(text("b", cell.dataset.v !== undefined ? full(cell.dataset.v) : cell.textContent || say("blank")));
      tip.append(line);
      if (cell.dataset.p) place(of, cell).forEach(said => tip.append(text("p", said)));
    } else shape.dataset.w.split("\n").forEach(said => tip.append(text("p", said)));
    tip.hidden = false;
    const box = (cell || shape).getBoundingClientRect(), own = tip.getBoundingClientRect();
    tip.style.left = `${Math.max(4, Math.min(box.left, innerWidth - own.width - 8))}px`;
    tip.style.top = `${box.bottom + own.height + 8 < innerHeight ? box.bottom + 4 : Math.max(4, box.top - own.height - 4)}px`;
  }
  function point(target) {
    tell(target);
    const el = target && target.closest && target.closest("[data-m]");
    const cell = target && target.closest && target.closest("tbody td");
    let name = el ? el.dataset.m.split(" ")[0] : "";
    if (!name && cell) {
      const of = tables.find(of => of.table === cell.closest("table"));
      name = of.facts.columns[cell.cellIndex - 1]?.k || "";
    }
    mark(name);
  }
  document.addEventListener("pointerover", event => point(event.target));
  document.addEventListener("focusin", event => point(event.target));
  document.addEventListener("scroll", () => { tip.hidden = true; }, true);

  // ---- Going from cell to cell, and from shape to shape of a chart ----
  const walks = of => {
    const start = of.body.querySelector("td");
    if (start) start.tabIndex = 0;
    of.table.addEventListener("keydown", event => {
      const cell = event.target.closest("tbody td, tbody th");
      if (event.key === "Escape") { tip.hidden = true; return; }
      if (!cell) return;
      const rows = of.rows.filter(row => !row.classList.contains("away") && row.cells.length > 1);
      const at = rows.indexOf(cell.parentElement), column = cell.cellIndex;
      const step = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], Home: [0, -1e6], End: [0, 1e6] }[event.key];
      if (!step || at < 0) return;
      event.preventDefault();
      const row = rows[Math.max(0, Math.min(rows.length - 1, at + step[0]))];
      // The label of the row is left of its first cell.
      const next = row.cells[Math.max(0, Math.min(row.cells.length - 1, column + step[1]))];
      $("[tabindex]", of.body).forEach(cell => { cell.tabIndex = -1; });
      next.tabIndex = 0;
      next.setAttribute("aria-describedby", "tip");
      next.focus();
      next.scrollIntoView({ block: "nearest", inline: "nearest" });
    });
  };
  function strolls(chart) {
    const shapes = $("[data-m][data-w]:not(.beside)", chart);
    shapes.forEach((shape, i) => { shape.tabIndex = i ? -1 : 0; shape.setAttribute("role", "img"); });
    chart.addEventListener("keydown", event => {
      const step = { ArrowUp: -1, ArrowDown: 1, ArrowLeft: -1, ArrowRight: 1, Home: -1e6, End: 1e6 }[event.key];
      const at = shapes.indexOf(event.target);
      if (!step || at < 0) return;
      event.preventDefault();
      shapes[at].tabIndex = -1;
      const next = shapes[Math.max(0, Math.min(shapes.length - 1, at + step))];
      next.tabIndex = 0;
      next.focus();
    });
  }

  // ---- Headings that stay in sight: on the page where a table fits it, in its own frame where not ----
  function fit() {
    // Read first, then write: a large table is laid out once only.
    const fits = tables.map(of => of.table.offsetWidth <= of.table.closest("section").clientWidth + 1);
    tables.forEach((of, i) => {
      const frame = of.table.parentElement;
      if (frame.classList.contains("fits") !== fits[i]) frame.classList.toggle("fits", fits[i]);
    });
  }
  addEventListener("resize", fit);

  // ---- A table that is too wide for a sheet is printed in parts: the same rows, some of the columns each ----
  // In points, which both A4 and Letter have between their margins.
  const SHEET = 700, LEAST = 6.5;
  function columnsOf(table) {
    // By column: its width in the size that print has; where a group of columns begins there, it may be cut before it.
    const row = $("tr", table.tBodies[0]).find(row => row.cells.length > 1 && row.offsetWidth);
    const scale = LEAST / parseFloat(getComputedStyle(table).fontSize);
    const width = cell => cell.offsetWidth * scale;
    const cells = row ? [...row.cells] : [];
    return { label: cells.length ? width(cells[0]) : 0, all: cells.slice(1).map(cell => ({ width: width(cell), begins: cell.classList.contains("gap") })) };
  }
  function cuts({ label, all }) {
    const parts = [];
    for (let from = 0; from < all.length;) {
      let to = from, width = label;
      while (to < all.length && (to === from || width + all[to].width <= SHEET)) width += all[to++].width;
      // Groups stay together where half of the part or more is left.
      let at = to;
      while (to < all.length && at > from + (to - from) / 2 && !all[at].begins) at--;
      if (to < all.length && all[at].begins && at > from) to = at;
      parts.push([from, to]);
      from = to;
    }
    return parts;
  }
  function part(table, [from, to]) {
    const copy = table.cloneNode(true);
    copy.removeAttribute("id");
    copy.className = "part";
    const heads = [...copy.tHead.rows], taken = heads.map(() => []);
    heads.forEach((row, level) => {
      let at = 0;
      [...row.cells].forEach(cell => {
        while (taken[level][at]) at++;
        const [wide, high, first] = [cell.colSpan, cell.rowSpan, at];
        for (let down = 0; down < high && level + down < heads.length; down++)
          for (let i = 0; i < wide; i++) taken[level + down][at + i] = true;
        at += wide;
        if (cell.classList.contains("corner")) return;
        // The corner is the first column of all.
        const shown = Math.min(first - 1 + wide, to) - Math.max(first - 1, from);
        if (shown <= 0) cell.remove(); else cell.colSpan = shown;
      });
    });
    [...copy.tBodies[0].rows].forEach(row => {
      const [label, ...cells] = [...row.cells];
      if (label.colSpan > 1) label.colSpan = to - from + 1;
      cells.forEach((cell, i) => { if (i < from || i >= to) cell.remove(); });
    });
    return copy;
  }
  addEventListener("beforeprint", () => tables.forEach(of => {
    if (parseFloat(of.table.dataset.print) >= LEAST || of.table.hidden) return;
    const parts = cuts(columnsOf(of.table));
    if (parts.length < 2) return;
    of.table.before(...parts.map(range => part(of.table, range)));
    of.table.classList.add("whole");
  }));
  addEventListener("afterprint", () => {
    $("table.part").forEach(table => table.remove());
    $("table.whole").forEach(table => { table.classList.remove("whole"); table.className || table.removeAttribute("class"); });
  });

  // ---- Light and dark ----
  const theme = document.getElementById("theme");
  theme.addEventListener("click", () => {
    const root = document.documentElement;
    const dark = root.dataset.ground ? root.dataset.ground === "dark" : matchMedia("(prefers-color-scheme: dark)").matches;
    root.dataset.ground = dark ? "light" : "dark";
    theme.setAttribute("aria-pressed", !dark);
  });

  // ---- The figures as data: a line for each row, column and measure, for whatever computes on ----
  const copy = document.getElementById("copy");
  copy.addEventListener("click", async () => {
    const of = tables[0], { rows: down, columns, across } = of.facts;
    const closing = new Map(of.rows.filter(row => row.classList.contains("heading")).map(row => [row.dataset.m + trail(row.parentRow), row]));
    const lines = [[...down, ...across, "measure", "value"].join("\t")];
    of.rows.filter(row => row.cells.length > 1).forEach(row => {
      const up = row.classList.contains("grand") ? [] : path(closing.get(row.dataset.m + trail(row.parentRow)) ?? row);
      [...row.cells].slice(1).forEach((cell, i) => {
        const column = columns[i], value = figure(cell);
        if (!column || column.h || value === "") return;
        const labels = [...down.map((_, at) => up[at] ?? ""), ...across.map((_, at) => column.p[at] ?? ""), column.m];
        lines.push([...labels.map(label => label.replace(/\s+/g, " ")), value].join("\t"));
      });
    });
    try {
      await navigator.clipboard.writeText(lines.join("\n") + "\n");
      found.textContent = say("{count} figures copied", { count: lines.length - 1 });
    } catch {
      found.textContent = say("the browser does not let this page copy");
    }
  });

  // ---- What stands on the page is dressed once, and again whenever other choices have changed it ----
  const trail = row => row ? [row.level, ...path(row)].join("\n") : "";
  let kept = [];
  function dress() {
    tables = $("table[id]").map(readTable);
    tables.forEach(of => { folds(of); sorts(of); walks(of); });
    $("svg.chart").forEach(strolls);
    if (tables[0]) opens(tables[0]);
    requestAnimationFrame(fit);
  }
  document.addEventListener("leave", () => {
    tip.hidden = true;
    kept = tables.map(of => {
      const by = of.table.querySelector("th[aria-sort]");
      const closed = of.rows.filter(row => row.folder && row.folder.getAttribute("aria-expanded") === "false").map(trail);
      return { id: of.table.id, column: by && +by.dataset.c, way: by && by.getAttribute("aria-sort"), closed };
    });
  });
  document.addEventListener("enter", () => {
    dress();
    tables.forEach(of => {
      const earlier = kept.find(own => own.id === of.table.id);
      if (!earlier) return;
      of.rows.forEach(row => { if (row.folder && earlier.closed.includes(trail(row))) fold(row, false); });
      if (earlier.way && of.facts.columns[earlier.column]) sort(of, earlier.column, earlier.way);
      show(of);
    });
    if (find.value) seek();
    remark();
  });
  dress();
  document.querySelector(".tools").hidden = false;
})();
