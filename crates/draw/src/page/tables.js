// Rows that open, columns that sort, and figures that say where they come from.
(function () {
  'use strict';
  function parentOf(path) { return path.indexOf('/') < 0 ? '' : path.slice(0, path.lastIndexOf('/')); }
  function fold(table) {
    table.querySelectorAll('tr.unfolded').forEach(function (row) { row.remove(); });
    table.querySelectorAll('a.why[aria-expanded="true"]').forEach(function (figure) { figure.setAttribute('aria-expanded', 'false'); });
  }

  function opening(table, rows) {
    var byPath = {}, has = {};
    rows.forEach(function (row) { byPath[row.dataset.path] = row; });
    rows.forEach(function (row) { if (row.dataset.path) { has[parentOf(row.dataset.path)] = true; } });
    function isOpen(row) { var button = row.querySelector('.opener'); return !!button && button.getAttribute('aria-expanded') === 'true'; }
    function show() {
      fold(table);
      rows.forEach(function (row) {
        var path = row.dataset.path, hidden = false;
        for (var up = parentOf(path); path && up; up = parentOf(up)) { if (byPath[up] && !isOpen(byPath[up])) { hidden = true; } }
        row.hidden = hidden;
      });
      document.dispatchEvent(new Event('scroll'));
    }
    function set(button, open) { button.setAttribute('aria-expanded', String(open)); show(); }
    rows.forEach(function (row) {
      var head = row.querySelector('th.level');
      if (!head || !row.dataset.path || !has[row.dataset.path]) { return; }
      var button = document.createElement('button');
      button.type = 'button';
      button.className = 'opener';
      button.textContent = head.textContent;
      button.setAttribute('aria-expanded', String('open' in row.dataset));
      head.textContent = '';
      head.appendChild(button);
      button.addEventListener('click', function () { set(button, !isOpen(row)); });
      button.addEventListener('keydown', function (event) {
        var buttons = Array.from(table.querySelectorAll('.opener')).filter(function (b) { return b.getClientRects().length > 0; });
        var at = buttons.indexOf(button);
        if (event.key === 'ArrowRight') { set(button, true); }
        else if (event.key === 'ArrowLeft') { set(button, false); }
        else if (event.key === 'ArrowDown') { buttons[Math.min(at + 1, buttons.length - 1)].focus(); }
        else if (event.key === 'ArrowUp') { buttons[Math.max(at - 1, 0)].focus(); }
        else { return; }
        event.preventDefault();
      });
    });
    show();
  }

  // The rows as a tree: a parent may have a row of its own, before those below it or behind them.
  function tree(rows) {
    var root = { path: '', children: [], row: null, after: false };
    var nodes = { '': root };
    function node(path) {
      if (!nodes[path]) {
        nodes[path] = { path: path, children: [], row: null, after: false };
        node(parentOf(path)).children.push(nodes[path]);
      }
      return nodes[path];
    }
    rows.forEach(function (row) {
      var own = node(row.dataset.path);
      own.row = row;
      own.after = own.children.length > 0;
    });
    return root;
  }

  function sorting(table, rows) {
    var root = tree(rows);
    var body = table.tBodies[0];
    var heads = Array.from(table.querySelectorAll('th[data-sort]'));
    function depth(node) { return node.path ? node.path.split('/').length : 0; }
    function cellValue(row, column) {
      var cell = row.children[column];
      if (cell.dataset.value !== undefined) { return Number(cell.dataset.value); }
      return cell.textContent.trim() || null;
    }
    function order(x, y) {
      return typeof x === 'number' && typeof y === 'number' ? x - y : String(x).localeCompare(String(y));
    }
    // What a node is sorted by: its own row, or of the rows below it the one that comes first.
    function value(node, column, down) {
      if (node.row) { return cellValue(node.row, column); }
      return node.children.map(function (child) { return value(child, column, down); }).reduce(function (best, next) {
        if (best === null || next === null) { return best === null ? next : best; }
        return (down ? order(next, best) > 0 : order(next, best) < 0) ? next : best;
      }, null);
    }
    function compare(a, b, column, kind, down) {
      var last = function (node) { return node.row && 'last' in node.row.dataset ? 1 : 0; };
      if (last(a) !== last(b)) { return last(a) - last(b); }
      // Members of a level stand in its order; what is above them goes by the first of them.
      if (kind === 'tree' || depth(a) === Number(kind)) { return down ? b.at - a.at : a.at - b.at; }
      if (depth(a) > Number(kind)) { return 0; }
      var x = value(a, column, down), y = value(b, column, down);
      if (x === null || y === null) { return (x === null) - (y === null); }
      return down ? order(y, x) : order(x, y);
    }
    (function number(node) { node.children.forEach(function (child, at) { child.at = at; number(child); }); })(root);
    function lay(node, column, kind, down) {
      if (node.row && !node.after) { body.appendChild(node.row); }
      var children = node.children.slice().sort(function (a, b) {
        return (kind ? compare(a, b, column, kind, down) : 0) || a.at - b.at;
      });
      children.forEach(function (child) { lay(child, column, kind, down); });
      if (node.row && node.after) { body.appendChild(node.row); }
    }
    // A key is said once, in the first row that has it.
    function repeats() {
      var before = null;
      Array.from(body.rows).forEach(function (row) {
        var keys = Array.from(row.cells).filter(function (cell) { return cell.tagName === 'TH' && !cell.classList.contains('level'); });
        var same = before !== null;
        keys.forEach(function (cell, at) {
          same = same && at < keys.length - 1 && before[at] === cell.textContent;
          cell.classList.toggle('again', same);
        });
        before = keys.map(function (cell) { return cell.textContent; });
      });
    }
    heads.forEach(function (head) {
      var label = head.querySelector('span');
      var button = document.createElement('button');
      button.type = 'button';
      button.className = 'sorter';
      button.textContent = label.textContent;
      label.textContent = '';
      label.appendChild(button);
      button.addEventListener('click', function () {
        fold(table);
        var kind = head.dataset.sort, now = head.getAttribute('aria-sort');
        var turns = { figure: ['descending', 'ascending', null], tree: ['descending', null] }[kind] || ['ascending', 'descending', null];
        var next = turns[now ? turns.indexOf(now) + 1 : 0] || null;
        heads.forEach(function (other) { other.removeAttribute('aria-sort'); });
        if (next) { head.setAttribute('aria-sort', next); }
        lay(root, head.cellIndex, next && kind, next === 'descending');
        repeats();
      });
    });
  }

  function explaining(table) {
    table.querySelectorAll('a.why').forEach(function (figure) {
      figure.setAttribute('role', 'button');
      figure.setAttribute('aria-expanded', 'false');
      function unfold(event) {
        event.preventDefault();
        var was = figure.getAttribute('aria-expanded') === 'true';
        fold(table);
        if (was) { return; }
        var row = figure.closest('tr'), unfolded = document.createElement('tr'), cell = document.createElement('td');
        var text = document.getElementById(figure.getAttribute('href').slice(1)).cloneNode(true);
        text.removeAttribute('id');
        var hold = document.createElement('div');
        text.style.width = table.parentElement.clientWidth + 'px';
        unfolded.className = 'unfolded';
        cell.colSpan = row.children.length;
        hold.appendChild(text);
        cell.appendChild(hold);
        unfolded.appendChild(cell);
        row.after(unfolded);
        figure.setAttribute('aria-expanded', 'true');
      }
      figure.addEventListener('click', unfold);
      figure.addEventListener('keydown', function (event) {
        if (event.key === ' ') { unfold(event); }
        if (event.key === 'Escape') { fold(table); }
      });
    });
  }

  document.querySelectorAll('table').forEach(function (table) {
    var rows = Array.from(table.tBodies[0].rows);
    if ('sorts' in table.dataset) { sorting(table, rows); }
    if (table.classList.contains('tree')) { opening(table, rows); }
    explaining(table);
  });
})();
