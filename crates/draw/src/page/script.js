(function () {
  'use strict';
  var tip = document.getElementById('tip');
  var lit = null;
  function hide() {
    tip.hidden = true;
    if (lit) { lit.classList.remove('lit'); lit = null; }
  }
  function show(shape, x, y) {
    if (lit !== shape) {
      hide();
      lit = shape;
      shape.classList.add('lit');
      tip.textContent = shape.getAttribute('data-tip');
    }
    tip.hidden = false;
    var box = tip.getBoundingClientRect();
    var left = x + 14, top = y + 14;
    if (left + box.width > innerWidth - 6) { left = x - 14 - box.width; }
    if (top + box.height > innerHeight - 6) { top = y - 14 - box.height; }
    tip.style.left = Math.max(6, left) + 'px';
    tip.style.top = Math.max(6, top) + 'px';
  }
  function shapeAt(target) {
    return target && target.closest ? target.closest('[data-tip]') : null;
  }
  document.addEventListener('pointermove', function (event) {
    var shape = shapeAt(event.target);
    if (shape) { show(shape, event.clientX, event.clientY); } else { hide(); }
  });
  document.addEventListener('pointerdown', function (event) {
    var shape = shapeAt(event.target);
    if (shape) { show(shape, event.clientX, event.clientY); }
  });
  document.addEventListener('scroll', hide, true);
  document.querySelectorAll('.drawn').forEach(function (drawn) {
    var at = -1;
    drawn.addEventListener('keydown', function (event) {
      var shapes = Array.prototype.filter.call(drawn.querySelectorAll('[data-tip]'), function (s) {
        return s.getClientRects().length > 0;
      });
      if (!shapes.length) { return; }
      if (event.key === 'ArrowRight' || event.key === 'ArrowDown') { at = Math.min(at + 1, shapes.length - 1); }
      else if (event.key === 'ArrowLeft' || event.key === 'ArrowUp') { at = Math.max(at - 1, 0); }
      else if (event.key === 'Home') { at = 0; }
      else if (event.key === 'End') { at = shapes.length - 1; }
      else if (event.key === 'Escape') { hide(); return; }
      else { return; }
      event.preventDefault();
      var box = shapes[at].getBoundingClientRect();
      show(shapes[at], box.left + box.width / 2, box.top + Math.min(box.height / 2, 40));
    });
    drawn.addEventListener('blur', hide);
  });
  function further() {
    document.querySelectorAll('.scroll').forEach(function (scroll) {
      var hint = scroll.nextElementSibling;
      if (hint && hint.classList.contains('further')) {
        hint.hidden = scroll.scrollLeft + scroll.clientWidth > scroll.scrollWidth - 2;
      }
    });
  }
  addEventListener('resize', further);
  document.addEventListener('scroll', further, true);
  document.addEventListener('toggle', further, true);
  function choose() {
    var chosen = {};
    document.querySelectorAll('input[data-switch]:checked').forEach(function (input) {
      chosen[input.getAttribute('data-switch')] = input.value;
    });
    hide();
    document.querySelectorAll('[data-when]').forEach(function (variant) {
      variant.hidden = !variant.getAttribute('data-when').split(' ').every(function (part) {
        var pair = part.split('=');
        return chosen[pair[0]] === pair[1];
      });
    });
    further();
  }
  document.querySelectorAll('input[data-switch]').forEach(function (input) {
    input.addEventListener('change', choose);
  });
  if (document.querySelector('input[data-switch]')) { choose(); } else { further(); }
})();
