// Loads `page` into frames of two widths, tries it, and writes what was found as JSON.
(function () {
  'use strict';
  var frames = [['screen', 1280, 800], ['telephone', 390, 844]];
  var found = {};
  var left = frames.length;

  function luminance(text) {
    var parts = text.match(/[\d.]+/g).slice(0, 3).map(function (part) {
      var c = part / 255;
      return c <= 0.04045 ? c / 12.92 : Math.pow((c + 0.055) / 1.055, 2.4);
    });
    return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2] + 0.05;
  }

  function contrast(a, b) {
    var x = luminance(a), y = luminance(b);
    return Math.max(x, y) / Math.min(x, y);
  }

  function seen(element) {
    return element.getClientRects().length > 0;
  }

  function tryPage(frame, width) {
    var view = frame.contentWindow, doc = frame.contentDocument;
    var all = function (query) { return Array.from(doc.querySelectorAll(query)); };
    var result = { errors: view.collected, title: doc.title, ran: view.ran === undefined ? null : view.ran };
    result.width = doc.documentElement.scrollWidth;
    result.h1 = all('h1').length;
    result.headings = all('h2').map(function (h) { return h.textContent; });
    result.tables = all('table').length;
    result.fetched = view.performance.getEntriesByType('resource').map(function (e) { return e.name; })
      .filter(function (name) { return !name.startsWith('data:'); });
    var ground = view.getComputedStyle(doc.body).backgroundColor;
    result.cut = []; result.pale = []; result.overlaps = [];
    all('h1,h2,p,legend,label,summary').filter(seen).forEach(function (element) {
      var box = element.getBoundingClientRect();
      if (box.right > width + 1 || box.left < -1 || element.scrollWidth > element.clientWidth + 1 && element.clientWidth) {
        result.cut.push(element.textContent.slice(0, 60));
      }
      if (contrast(view.getComputedStyle(element).color, ground) < 4.5) { result.pale.push(element.textContent.slice(0, 60)); }
    });
    all('svg.chart').filter(seen).forEach(function (svg) {
      var room = svg.getBoundingClientRect();
      var boxes = [];
      svg.querySelectorAll('text').forEach(function (text) {
        var box = text.getBoundingClientRect();
        if (box.left < room.left - 1 || box.right > room.right + 1 || box.top < room.top - 1 || box.bottom > room.bottom + 1) {
          result.cut.push(text.textContent);
        }
        boxes.forEach(function (other) {
          var across = Math.min(box.right, other[0].right) - Math.max(box.left, other[0].left);
          var down = Math.min(box.bottom, other[0].bottom) - Math.max(box.top, other[0].top);
          if (across > 2 && down > box.height * 0.3) { result.overlaps.push(text.textContent + ' on ' + other[1]); }
        });
        boxes.push([box, text.textContent]);
        var on = text.getAttribute('class') || '';
        if (!/f-o[hb]/.test(on) && contrast(view.getComputedStyle(text).fill, ground) < 4.5) { result.pale.push(text.textContent); }
      });
    });
    var drawn = all('.drawn')[0];
    result.wide = !!drawn && seen(drawn.querySelector('.wide'));
    var tip = doc.getElementById('tip');
    var shape = drawn && Array.from(drawn.querySelectorAll('rect[data-tip]')).filter(seen)[0];
    if (shape) {
      var box = shape.getBoundingClientRect();
      shape.dispatchEvent(new view.PointerEvent('pointermove', { bubbles: true, clientX: box.left + 2, clientY: box.top + 4 }));
      result.tip = tip.hidden ? '' : tip.textContent;
      drawn.focus();
      ['ArrowRight', 'ArrowRight'].forEach(function (key) {
        drawn.dispatchEvent(new view.KeyboardEvent('keydown', { key: key, bubbles: true, cancelable: true }));
      });
      result.keyed = tip.hidden ? '' : tip.textContent;
      var tipBox = tip.getBoundingClientRect();
      result.inside = tipBox.left >= 0 && tipBox.right <= width && tipBox.top >= 0;
    }
    var switched = all('.variant[data-when]');
    var days = switched.filter(function (v) { return /0=/.test(v.getAttribute('data-when')); });
    var shown = function () {
      return ['0=0', '0=1'].map(function (choice) {
        return days.some(function (v) { return !v.hidden && v.getAttribute('data-when').indexOf(choice) >= 0; });
      });
    };
    var number = function () {
      var figures = all('.figure').filter(seen);
      return figures.length ? figures[0].textContent : null;
    };
    if (all('input[data-switch="0"]').length) {
      result.before = shown();
      result.number_before = number();
      all('input[data-switch="0"]')[1].click();
      result.after = shown();
      all('input[data-switch="1"]')[0].click();
      result.number_after = number();
    }
    var tree = doc.querySelector('table.tree');
    if (tree) {
      var rows = function () {
        return Array.from(tree.tBodies[0].rows).filter(seen).map(function (row) { return row.cells[0].textContent.trim(); }).join(' ');
      };
      var opener = function (name) {
        return Array.from(tree.querySelectorAll('.opener')).filter(function (button) { return button.textContent === name; })[0];
      };
      var press = function (button, key) {
        button.dispatchEvent(new view.KeyboardEvent('keydown', { key: key, bubbles: true, cancelable: true }));
      };
      result.rows = { closed: rows() };
      opener('2024').click();
      result.rows.clicked = rows();
      press(opener('2024-Q1'), 'ArrowRight');
      result.rows.keyed = rows();
      var sorters = tree.querySelectorAll('.sorter');
      sorters[1].click();
      sorters[1].click();
      result.rows.ascending = rows();
      sorters[1].click();
      result.rows.again = rows();
      press(opener('2024'), 'ArrowLeft');
      result.rows.left = rows();
      var figure = Array.from(tree.querySelectorAll('a.why')).filter(seen)[0];
      figure.click();
      result.unfolded = Array.from(tree.querySelectorAll('tr.unfolded')).map(function (row) { return row.textContent; });
      figure.click();
      result.folded = tree.querySelectorAll('tr.unfolded').length;
    }
    result.sorted = all('table[data-sorts]:not(.tree)').map(function (table) {
      var rows = function () {
        return Array.from(table.tBodies[0].rows).map(function (row) { return row.textContent.replace(/\s+/g, ' ').trim(); });
      };
      return Array.from(table.querySelectorAll('.sorter')).map(function (sorter) {
        return [0, 1, 2].map(function () { sorter.click(); return rows(); });
      });
    });
    return result;
  }

  frames.forEach(function (setting) {
    var frame = document.createElement('iframe');
    frame.width = setting[1];
    frame.height = setting[2];
    frame.style.border = '0';
    var watch = '<script>window.collected=[];window.onerror=function(m){window.collected.push(String(m))};'
      + 'console.error=function(m){window.collected.push(String(m))};'
      + 'document.addEventListener("securitypolicyviolation",function(e){window.collected.push("policy: "+e.violatedDirective)});<\/script>';
    frame.srcdoc = page.replace('<head>', function () { return '<head>' + watch; });
    frame.addEventListener('load', function () {
      frame.contentDocument.fonts.ready.then(function () {
        try {
          found[setting[0]] = tryPage(frame, setting[1]);
        } catch (error) {
          found[setting[0]] = { errors: ['the trial failed: ' + error.stack] };
        }
        left -= 1;
        if (left === 0) { document.getElementById('found').textContent = JSON.stringify(found); }
      });
    });
    document.body.appendChild(frame);
  });
})();
