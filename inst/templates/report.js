(function () {
  "use strict";
  function text(cell) { return cell.textContent; }
  function number(value) {
    var plain = value.replace(/,/g, "").replace(/%$/, "");
    return plain.trim() === "" ? NaN : Number(plain);
  }
  function compare(a, b) {
    var x = number(a), y = number(b);
    if (!isNaN(x) && !isNaN(y)) { return x - y; }
    // what is no number comes after all numbers
    if (isNaN(x) !== isNaN(y)) { return isNaN(x) ? 1 : -1; }
    return a < b ? -1 : a > b ? 1 : 0;
  }
  function sortBy(table, at, head) {
    var up = head.getAttribute("aria-sort") !== "ascending";
    var body = table.tBodies[0];
    var rows = Array.prototype.map.call(body.rows, function (row, place) {
      return { row: row, key: text(row.cells[at]), place: place };
    });
    rows.sort(function (a, b) {
      var order = compare(a.key, b.key);
      return (up ? order : -order) || a.place - b.place;
    });
    rows.forEach(function (one) { body.appendChild(one.row); });
    Array.prototype.forEach.call(table.tHead.rows[0].cells, function (cell) {
      cell.removeAttribute("aria-sort");
    });
    head.setAttribute("aria-sort", up ? "ascending" : "descending");
  }
  function copyButton(place, content) {
    var button = document.createElement("button");
    button.type = "button";
    button.className = "copy";
    button.textContent = "Copy";
    button.addEventListener("click", function () {
      var area = document.createElement("textarea");
      area.value = content();
      document.body.appendChild(area);
      area.select();
      var done = document.execCommand("copy");
      document.body.removeChild(area);
      button.textContent = done ? "Copied" : "Not copied";
      setTimeout(function () { button.textContent = "Copy"; }, 2000);
    });
    place.parentNode.insertBefore(button, place.nextSibling);
  }
  document.querySelectorAll("table").forEach(function (table) {
    Array.prototype.forEach.call(table.tHead.rows[0].cells, function (head, at) {
      if (table.tBodies[0].rows.length < 2) { return; }
      var button = document.createElement("button");
      button.type = "button";
      while (head.firstChild) { button.appendChild(head.firstChild); }
      head.appendChild(button);
      button.addEventListener("click", function () { sortBy(table, at, head); });
    });
    copyButton(table.parentNode, function () {
      return Array.prototype.map.call(table.rows, function (row) {
        return Array.prototype.map.call(row.cells, text).join("\t");
      }).join("\n");
    });
  });
  document.querySelectorAll("pre").forEach(function (block) {
    copyButton(block, function () { return block.textContent; });
  });
  function mark() {
    document.querySelectorAll(".scroll").forEach(function (box) {
      box.classList.toggle("more", box.scrollWidth > box.clientWidth + 1);
    });
  }
  window.addEventListener("resize", mark);
  document.querySelectorAll("details").forEach(function (one) {
    one.addEventListener("toggle", mark);
  });
  mark();
  window.addEventListener("beforeprint", function () {
    document.querySelectorAll("details").forEach(function (one) { one.open = true; });
  });
})();
