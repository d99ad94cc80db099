(function () {
  "use strict";
  var source = document.getElementById("data").textContent;
  var data = JSON.parse(source);
  var kept = "ronda-review-" + checksum(source);
  var decided = read();
  var cards = [];
  var targets = {};
  Object.keys(data.targets || {}).forEach(function (column) {
    if (data.targets[column].length) { targets[column] = new Set(data.targets[column]); }
  });

  function checksum(text) {
    var h = 2166136261;
    for (var i = 0; i < text.length; i++) { h = Math.imul(h ^ text.charCodeAt(i), 16777619); }
    return (h >>> 0).toString(16) + text.length.toString(16);
  }
  // Some browsers keep nothing for pages that are files: then the page still works.
  function read() {
    try { return JSON.parse(localStorage.getItem(kept)) || {}; } catch (e) { return {}; }
  }
  function keep() {
    try { localStorage.setItem(kept, JSON.stringify(decided)); } catch (e) { return; }
  }
  function make(tag, className, text) {
    var e = document.createElement(tag);
    if (className) { e.className = className; }
    if (text !== undefined) { e.textContent = text; }
    return e;
  }
  function button(text, title, run) {
    var e = make("button", "", text);
    e.type = "button";
    e.title = title;
    e.addEventListener("click", run);
    return e;
  }

  // What differs: characters of each text that are not in their longest common part
  function common(a, b) {
    var n = a.length, m = b.length, w = m + 1, i, j;
    if (n * m > 40000) { return null; }
    var t = new Uint16Array((n + 1) * w);
    for (i = n - 1; i >= 0; i--) {
      for (j = m - 1; j >= 0; j--) {
        t[i * w + j] = a[i] === b[j] ? t[(i + 1) * w + j + 1] + 1 :
          Math.max(t[(i + 1) * w + j], t[i * w + j + 1]);
      }
    }
    var inA = [], inB = [];
    for (i = 0, j = 0; i < n && j < m;) {
      if (a[i] === b[j]) { inA[i++] = true; inB[j++] = true; } else if (
        t[(i + 1) * w + j] >= t[i * w + j + 1]) { i++; } else { j++; }
    }
    return [inA, inB];
  }
  function marked(letters, same) {
    var e = make("span", "text");
    var from = 0;
    for (var k = 1; k <= letters.length; k++) {
      if (k < letters.length && !same[k] === !same[from]) { continue; }
      var part = letters.slice(from, k).join("");
      e.appendChild(same[from] ? document.createTextNode(part) : make("mark", "", part));
      from = k;
    }
    return e;
  }
  function pair(from, to) {
    var a = Array.from(from), b = Array.from(to);
    var same = common(a, b);
    if (!same) { return [make("span", "text", from), make("span", "text", to)]; }
    return [marked(a, same[0]), marked(b, same[1])];
  }
  function cells(names, values) {
    return make("div", "cells", names.map(function (name, k) {
      return name + ": " + values[k];
    }).join(" \u00b7 "));
  }

  function id(key) { return (key.column || "") + "\r" + key.from; }
  function decide(card, decision, to) {
    if (decision) { decided[id(card.key)] = { decision: decision, to: to }; } else {
      delete decided[id(card.key)];
    }
    keep();
    show(card);
    count();
  }
  function show(card) {
    var now = decided[id(card.key)] || { decision: "open" };
    card.element.className = "key " + now.decision;
    card.yes.forEach(function (one, k) {
      one.setAttribute("aria-pressed", String(now.decision === "yes" &&
        now.to === card.key.candidates[k].to));
    });
    card.no.setAttribute("aria-pressed", String(now.decision === "no"));
    card.other.setAttribute("aria-pressed", String(now.decision === "another"));
    if (now.decision === "another") { card.input.value = now.to; }
  }
  function takeTyped(card) {
    var typed = card.input.value;
    var known = targets[card.key.column] || (!card.key.column && targets[Object.keys(targets)[0]]);
    var message = "";
    if (typed === "") { message = "Type the key first."; } else if (known && !known.has(typed)) {
      message = "“" + typed + "” is not a key of " + data.frames[1] + ".";
    }
    card.wrong.textContent = message;
    if (!message) { decide(card, "another", typed); }
  }
  function card(key, at) {
    var one = { key: key, yes: [] };
    var element = make("section", "key");
    element.tabIndex = 0;
    element.setAttribute("aria-label", key.from);
    var left = make("div"), right = make("div");
    var first = key.candidates.length ? pair(key.from, key.candidates[0].to)[0] :
      make("span", "text", key.from);
    left.appendChild(first);
    if (key.rows !== null) {
      left.appendChild(make("div", "why", key.rows + (key.rows === 1 ? " row" : " rows") +
        (key.column ? " of " + data.frames[0] + " with this " + key.column : "")));
    }
    if (data.left_columns.length) { left.appendChild(cells(data.left_columns, key.cells)); }
    key.candidates.forEach(function (candidate) {
      var line = make("div", "candidate");
      var yes = button("Yes", "y, or the number of the line", function () {
        decide(one, "yes", candidate.to);
      });
      one.yes.push(yes);
      line.appendChild(yes);
      line.appendChild(pair(key.from, candidate.to)[1]);
      var why = [candidate.reason];
      if (candidate.sureness !== null) { why.push("sureness " + candidate.sureness.toFixed(2)); }
      if (candidate.taken) { why.push("matched already"); }
      line.appendChild(make("span", "why", why.filter(Boolean).join(", ")));
      if (data.right_columns.length) {
        line.appendChild(cells(data.right_columns, candidate.cells));
      }
      right.appendChild(line);
    });
    if (!key.candidates.length) { right.appendChild(make("div", "why", "no likely partner")); }
    var other = make("div", "other");
    one.no = button("No", "n", function () { decide(one, "no", ""); });
    one.other = button("Another:", "a", function () { takeTyped(one); });
    one.input = make("input");
    one.input.setAttribute("list", "targets");
    one.input.setAttribute("aria-label", "Another key for " + key.from);
    one.input.addEventListener("keydown", function (event) {
      event.stopPropagation();
      if (event.key === "Enter") { takeTyped(one); element.focus(); }
      if (event.key === "Escape") { element.focus(); }
    });
    one.input.addEventListener("focus", function () { offer(key.column); });
    one.wrong = make("span", "wrong");
    one.wrong.setAttribute("role", "alert");
    [one.no, one.other, one.input, one.wrong].forEach(function (e) { other.appendChild(e); });
    right.appendChild(other);
    element.appendChild(left);
    element.appendChild(right);
    one.element = element;
    element.addEventListener("keydown", function (event) { press(event, one, at); });
    return one;
  }
  // what may be typed, where it is few enough to be offered
  var offered;
  function offer(column) {
    var list = document.getElementById("targets");
    var known = (data.targets || {})[column] || [];
    if (offered === column || known.length > 5000) { return; }
    offered = column;
    list.textContent = "";
    known.forEach(function (text) {
      var option = make("option");
      option.value = text;
      list.appendChild(option);
    });
  }
  function move(at, step) {
    for (var k = at + step; k >= 0 && k < cards.length; k += step) {
      if (!cards[k].element.hidden) { cards[k].element.focus(); return; }
    }
  }
  function press(event, one, at) {
    if (event.ctrlKey || event.metaKey || event.altKey) { return; }
    var number = Number(event.key);
    var used = true;
    if (event.key === "j" || event.key === "ArrowDown") { move(at, 1); } else if (
      event.key === "k" || event.key === "ArrowUp") { move(at, -1); } else if (
      event.key === "y" && one.yes.length) { one.yes[0].click(); move(at, 1); } else if (
      number >= 1 && number <= one.yes.length) { one.yes[number - 1].click(); move(at, 1); } else if (
      event.key === "n") { one.no.click(); move(at, 1); } else if (
      event.key === "a") { one.input.focus(); } else if (
      event.key === "u") { decide(one, null); } else { used = false; }
    if (used) { event.preventDefault(); }
  }

  // Filters, progress and the file
  var tools = document.getElementById("tools");
  var done = make("span");
  done.id = "done";
  function choose(name, options) {
    var label = make("label", "", name + " ");
    var list = make("select");
    list.id = "by-" + name;
    options.forEach(function (one) {
      var option = make("option", "", one[1]);
      option.value = one[0];
      list.appendChild(option);
    });
    list.addEventListener("change", filter);
    label.appendChild(list);
    tools.appendChild(label);
    return list;
  }
  var reasons = Array.from(new Set([].concat.apply([], data.keys.map(function (key) {
    return key.candidates.length ? key.candidates.map(function (one) { return one.reason; }) :
      [key.reason];
  })))).sort();
  tools.appendChild(done);
  var byReason = choose("reason", [["", "all"]].concat(reasons.map(function (r) {
    return [r, r];
  })));
  var bySureness = choose("sureness", [["", "all"], ["0.8", "0.8 and more"], ["0.5", "0.5 to 0.8"],
    ["0", "below 0.5"]]);
  var byState = choose("state", [["", "all"], ["open", "open"], ["decided", "decided"]]);
  function surest(key) {
    return key.candidates.reduce(function (most, one) { return Math.max(most, one.sureness); }, 0);
  }
  function filter() {
    cards.forEach(function (one) {
      var key = one.key;
      var has = !byReason.value || key.reason === byReason.value ||
        key.candidates.some(function (c) { return c.reason === byReason.value; });
      var s = surest(key), wanted = bySureness.value;
      if (wanted === "0.8") { has = has && s >= 0.8; }
      if (wanted === "0.5") { has = has && s >= 0.5 && s < 0.8; }
      if (wanted === "0") { has = has && s < 0.5; }
      var open = !decided[id(key)];
      if (byState.value) { has = has && open === (byState.value === "open"); }
      one.element.hidden = !has;
    });
  }
  function count() {
    var n = data.keys.filter(function (key) { return decided[id(key)]; }).length;
    done.textContent = n + " of " + data.keys.length + " decided";
  }
  function cell(text) {
    return "\"" + String(text).replace(/"/g, "\"\"") + "\"";
  }
  function corrections() {
    return ["from,to,decision,column,rows"].concat(data.keys.map(function (key) {
      var now = decided[id(key)] || { decision: "open", to: "" };
      return [cell(key.from), now.to ? cell(now.to) : "", now.decision,
        key.column === null ? "" : cell(key.column), key.rows === null ? "" : key.rows].join(",");
    })).join("\n") + "\n";
  }
  var save = button("Download corrections", "a csv file of all decisions", function () {
    var link = make("a");
    link.href = URL.createObjectURL(new Blob([corrections()], { type: "text/csv" }));
    link.download = "corrections.csv";
    document.body.appendChild(link);
    link.click();
    link.remove();
  });
  save.id = "save";
  save.className = "main";
  tools.appendChild(save);
  tools.appendChild(button("Start over", "forget what was decided", function () {
    if (window.confirm("Forget all decisions?")) {
      decided = {};
      keep();
      cards.forEach(show);
      count();
      filter();
    }
  }));
  var help = make("p", "why", "Keys: j and k move, y or a number accepts, n refuses, a types another, " +
    "u undoes." + (data.left_out ? " " + data.left_out + " more unmatched keys are not shown." : ""));
  tools.parentNode.insertBefore(help, tools.nextSibling);

  var place = document.getElementById("keys");
  var all = document.createDocumentFragment();
  data.keys.forEach(function (key, at) {
    var one = card(key, at);
    cards.push(one);
    show(one);
    all.appendChild(one.element);
  });
  place.appendChild(all);
  count();
})();
