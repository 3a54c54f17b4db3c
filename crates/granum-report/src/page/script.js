
"use strict";
(() => {
  const all = (what, of = document) => Array.from(of.querySelectorAll(what));
  const open = (at) => { for (let up = at; up; up = up.parentElement) if (up.tagName === "DETAILS") up.open = true; };
  const go = () => {
    const at = location.hash && document.getElementById(location.hash.slice(1));
    if (!at) return;
    open(at);
    at.scrollIntoView();
    if (at.tabIndex === -1 && at.hasAttribute("tabindex")) at.focus({ preventScroll: true });
  };
  addEventListener("hashchange", go);
  document.addEventListener("click", (event) => {
    const link = event.target.closest && event.target.closest('a[href^="#"], a[*|href^="#"]');
    if (link && link.getAttribute("href") === location.hash) go();
  });
  go();

  let closed = [];
  addEventListener("beforeprint", () => { closed = all("details:not([open])"); closed.forEach((one) => { one.open = true; }); });
  addEventListener("afterprint", () => closed.forEach((one) => { one.open = false; }));

  const search = document.getElementById("search"), results = document.getElementById("results"), found = document.getElementById("found");
  document.querySelector(".search").hidden = false;
  const things = all("[data-find]").map((at) => ({ at, name: at.dataset.find, kind: at.dataset.kind, low: at.dataset.find.toLowerCase() }));
  const most = 30;
  search.addEventListener("input", () => {
    const asked = search.value.trim().toLowerCase();
    results.replaceChildren();
    if (!asked) { found.textContent = ""; return; }
    const hits = things.filter((thing) => thing.low.includes(asked));
    hits.sort((a, b) => (b.low === asked) - (a.low === asked) || b.low.startsWith(asked) - a.low.startsWith(asked));
    found.textContent = hits.length === 0 ? "nothing is called so" : hits.length === 1 ? "1 found" : hits.length > most ? `${hits.length} found, the first ${most}:` : `${hits.length} found`;
    for (const hit of hits.slice(0, most)) {
      const link = document.createElement("a"), kind = document.createElement("span"), line = document.createElement("li");
      link.href = "#" + hit.at.id;
      link.textContent = hit.name;
      kind.className = "note";
      kind.textContent = " " + hit.kind;
      line.append(link, kind);
      results.append(line);
    }
  });
  search.addEventListener("keydown", (event) => {
    const first = results.querySelector("a");
    if (event.key === "Enter" && first) first.click();
    if (event.key === "Escape") { search.value = ""; search.dispatchEvent(new Event("input")); }
  });

  const text = (cell) => cell.querySelector(".blank") ? "" : cell.textContent.trim().replace(/\s+/g, " ");
  for (const table of all("table")) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "copy";
    button.textContent = "copy";
    button.setAttribute("aria-label", "copy: " + table.caption.textContent);
    button.addEventListener("click", async () => {
      const rows = Array.from(table.rows, (row) => Array.from(row.cells).filter((cell) => !cell.matches(".drawn")).map(text).join("\t"));
      try { await navigator.clipboard.writeText(rows.join("\n") + "\n"); button.textContent = "copied"; }
      catch { getSelection().selectAllChildren(table); button.textContent = "selected: copy it by the keyboard"; }
      setTimeout(() => { button.textContent = "copy"; }, 2500);
    });
    table.caption.append(button);
  }
})();
