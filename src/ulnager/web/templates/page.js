// Spares the button: what is changed is asked for and shown in place. All of it works without.
"use strict";
(() => {
  let asked = 0;
  let typing = 0;

  async function show(url, push) {
    const mine = ++asked;
    const before = typed();
    document.body.classList.add("busy");
    try {
      const answer = await fetch(url, { headers: { accept: "text/html" } });
      const text = await answer.text();
      if (mine !== asked) return null;
      const kind = answer.headers.get("content-type") || "";
      if (!answer.ok || !kind.startsWith("text/html")) { location.assign(url); return null; }
      const now = typed();
      const other = new DOMParser().parseFromString(text, "text/html");
      const open = [...document.querySelectorAll("details[open][id]")].map((one) => one.id);
      document.getElementById("page").replaceWith(document.adoptNode(other.getElementById("page")));
      document.title = other.title;
      if (push) history.pushState(null, "", url);
      for (const one of open.map((id) => document.getElementById(id))) if (one) one.open = true;
      begin();
      restore(before, now);
      return document.getElementById("page");
    } catch (error) {
      if (mine === asked) location.assign(url);
      return null;
    } finally {
      if (mine === asked) document.body.classList.remove("busy");
    }
  }

  // Where the viewer is, and what stands there: typing goes on while an answer is awaited.
  function typed() {
    const field = document.activeElement;
    return { id: field ? field.id : "", value: field && "value" in field ? field.value : null };
  }

  function restore(before, now) {
    const field = now.id && document.getElementById(now.id);
    if (!field) return;
    if (now.id !== before.id || now.value !== before.value) {
      if (field.type === "text" || field.type === "date") field.value = now.value;
    }
    field.focus();
  }

  function address(form, button) {
    const data = new FormData(form);
    if (button && button.name) data.append(button.name, button.value);
    return form.getAttribute("action") + "?" + new URLSearchParams(data);
  }

  function begin() {
    const page = document.getElementById("page");
    const form = page.querySelector("form");
    if (!form) return;
    form.addEventListener("submit", (event) => {
      event.preventDefault();
      show(address(form, event.submitter), true);
    });
    form.addEventListener("change", (event) => {
      if (event.target.type !== "date") show(address(form), true);
    });
    // A date is typed part by part: it is asked for when the field is left, or with Enter.
    form.addEventListener("focusout", (event) => {
      const field = event.target;
      if (field.type === "date" && field.value !== field.defaultValue) show(address(form), true);
    });
    for (const link of page.querySelectorAll("a.step")) {
      link.addEventListener("click", (event) => {
        if (event.metaKey || event.ctrlKey || event.shiftKey || event.button) return;
        event.preventDefault();
        show(link.getAttribute("href"), true);
      });
    }
    for (const button of page.querySelectorAll(".copy")) {
      button.hidden = false;
      button.addEventListener("click", () => copy(document.getElementById(button.dataset.of)));
    }
    for (const id of ["link", "frozen"]) {
      const field = document.getElementById(id);
      if (field) field.value = new URL(field.value, location.href).href;
    }
    for (const box of page.querySelectorAll(".ruled[data-first]")) ruled(box);
    for (const list of page.querySelectorAll(".listed ul")) {
      const chosen = list.querySelector("input:checked");
      if (chosen) list.scrollTop = chosen.closest("li").offsetTop - list.offsetTop - 40;
    }
    form.addEventListener("input", (event) => {
      const field = event.target;
      if (field.classList.contains("typed")) {
        clearTimeout(typing);
        typing = setTimeout(() => show(address(form), false), 350);
        return;
      }
      if (field.type === "date" || field.type === "text") {
        field.classList.toggle("unsent", field.value !== field.defaultValue);
      }
    });
    const play = page.querySelector(".play");
    if (play) player(play);
    page.dataset.begun = "yes";
  }

  // The ruler: the ends of own dates are dragged, or moved with the arrow keys.
  const DAY = 86400000;
  const days = (text) => Math.round(Date.parse(text + "T00:00Z") / DAY);
  const iso = (day) => new Date(day * DAY).toISOString().slice(0, 10);

  function ruled(box) {
    const data = box.dataset;
    const fields = [data.first, data.last].map((id) => document.getElementById(id));
    if (!fields[0] || !fields[1]) return;
    const [low, high] = [days(data.low), days(data.high)];
    const least = data.least ? days(data.least) : low;
    const most = data.most ? days(data.most) : high;
    const format = new Intl.DateTimeFormat(document.documentElement.lang, { dateStyle: "medium", timeZone: "UTC" });
    const said = box.closest(".picker").querySelector(".dates strong");
    const form = box.closest("form");
    const names = data.names.split("|");
    const allowed = [data.firsts, data.lasts].map((text) => text ? text.split(",").map(days) : null);
    const starts = [...box.querySelectorAll("line[data-day]")].map((one) => days(one.dataset.day));
    let moved = false;
    let waits = 0;

    const handles = fields.map((field, place) => {
      const handle = document.createElement("span");
      handle.className = "handle";
      handle.id = field.id + "-end";
      handle.tabIndex = 0;
      handle.setAttribute("role", "slider");
      handle.setAttribute("aria-label", names[place]);
      handle.setAttribute("aria-valuemin", least);
      handle.setAttribute("aria-valuemax", most);
      handle.style.top = Number(data.top) - 2 + "px";
      box.append(handle);
      handle.addEventListener("pointerdown", (event) => {
        event.preventDefault();
        handle.focus();
        handle.setPointerCapture(event.pointerId);
      });
      handle.addEventListener("pointermove", (event) => {
        if (!handle.hasPointerCapture(event.pointerId)) return;
        const rect = box.getBoundingClientRect();
        const at = low + ((event.clientX - rect.left) / rect.width) * (high + 1 - low);
        set(place, place ? Math.round(at) - 1 : Math.round(at));
      });
      handle.addEventListener("pointerup", send);
      handle.addEventListener("keydown", (event) => {
        const held = days(field.value);
        const edges = starts.map((one) => one - place);
        const to = {
          ArrowLeft: held - 1, ArrowDown: held - 1, ArrowRight: held + 1, ArrowUp: held + 1,
          Home: least, End: most,
          PageDown: edges.filter((one) => one < held).pop(),
          PageUp: edges.find((one) => one > held),
        }[event.key];
        if (to === undefined) return;
        event.preventDefault();
        set(place, to, Math.sign(to - held));
        clearTimeout(waits);
        waits = setTimeout(send, 700);
      });
      return handle;
    });

    function set(place, day, by) {
      const other = days(fields[1 - place].value);
      const [bottom, top] = place ? [Math.max(least, other), most] : [least, Math.min(most, other)];
      let found = Math.min(top, Math.max(bottom, day));
      if (allowed[place]) {
        const fit = allowed[place].filter((one) => one >= bottom && one <= top);
        const far = (one) => Math.abs(one - day);
        found = by > 0 ? fit.find((one) => one >= day) : by < 0 ? fit.filter((one) => one <= day).pop()
          : fit.reduce((one, other) => far(other) < far(one) ? other : one, fit[0]);
        if (found === undefined) return;
      }
      fields[place].value = iso(found);
      fields[place].classList.add("unsent");
      moved = true;
      put();
    }

    function put() {
      const held = fields.map((field) => days(field.value));
      handles.forEach((handle, place) => {
        const at = ((held[place] + place - low) / (high + 1 - low)) * 100;
        handle.style.left = Math.min(100, Math.max(0, at)) + "%";
        handle.setAttribute("aria-valuenow", held[place]);
        handle.setAttribute("aria-valuetext", format.format(new Date(held[place] * DAY)));
      });
      if (moved) said.textContent = format.formatRange(new Date(held[0] * DAY), new Date(held[1] * DAY));
    }

    function send() {
      if (moved) show(address(form), true);
      moved = false;
    }

    for (const name of box.querySelectorAll("text[data-day]")) {
      name.addEventListener("click", () => {
        const day = days(name.dataset.day);
        const after = starts[starts.indexOf(day) + 1];
        set(0, least, 1);
        set(1, after ? after - 1 : high, 0);
        set(0, day, 0);
        send();
      });
    }
    put();
  }

  async function copy(field) {
    field.select();
    try { await navigator.clipboard.writeText(field.value); }
    catch (error) { document.execCommand("copy"); }
    const said = document.getElementById("copied");
    said.textContent = said.dataset.copied;
  }

  let timer = null;
  let pace = "1200";
  let began = null;

  function player(play) {
    play.hidden = !document.querySelector("a.on") && timer === null;
    const [start, stop] = [play.querySelector("#play"), play.querySelector("#stop")];
    const choice = play.querySelector("#pace");
    choice.value = pace;
    choice.addEventListener("change", () => { pace = choice.value; });
    start.disabled = timer !== null;
    stop.disabled = timer === null;
    start.addEventListener("click", () => { playing(); player(play); });
    stop.addEventListener("click", () => halt("stopped"));
  }

  function playing() {
    began = location.href;
    timer = setTimeout(step, 0);
  }

  async function step() {
    const next = document.querySelector("a.on");
    const round = document.getElementById("page").dataset.round && began;
    if (!next && !round) { halt("end"); return; }
    timer = setTimeout(() => {}, 0);
    const page = await show(next ? next.getAttribute("href") : began, false);
    if (timer === null) return;
    if (!page) { halt("stopped"); return; }
    document.getElementById("played").textContent = document.querySelector(".dates strong").textContent;
    timer = setTimeout(step, Number(pace));
  }

  // Asks anew, but for what is being typed.
  function refresh() {
    const fields = [...document.querySelectorAll("form input:not([type=hidden])")];
    const typing = fields.some((one) => one.type === "checkbox" || one.type === "radio"
      ? one.checked !== one.defaultChecked : one.value !== one.defaultValue);
    if (!typing && timer === null && !document.hidden) show(location.href, false);
  }

  function halt(how) {
    clearTimeout(timer);
    timer = null;
    history.pushState(null, "", document.getElementById("link") ? document.getElementById("link").value : "");
    const play = document.querySelector(".play");
    if (!play) return;
    play.querySelector("#play").disabled = false;
    play.querySelector("#stop").disabled = true;
    const said = play.querySelector("#played");
    said.textContent = said.dataset[how];
  }

  const shown = document.getElementById("page");
  if (shown && shown.dataset.refresh) setInterval(refresh, 1000 * Number(shown.dataset.refresh));
  const still = window.matchMedia("(prefers-reduced-motion: reduce)").matches;
  if (shown && shown.dataset.plays && !still) playing();
  window.addEventListener("popstate", () => show(location.href, false));
  begin();
})();
