// Finds reviews, models and rankings by all the words that are typed; a letter that is missing or wrong is forgiven.
const home = document.documentElement.dataset.home;
const input = document.querySelector('input[type=search]');
const list = document.getElementById('found');
const plain = (text) => text.normalize('NFD').replace(/[\u0300-\u036f]/g, '').toLowerCase();
const near = (a, b) => {
  if (Math.abs(a.length - b.length) > 1 || a.length < 4) return false;
  let i = 0;
  while (i < a.length && a[i] === b[i]) i++;
  return a.slice(i + 1) === b.slice(i + 1) || a.slice(i) === b.slice(i + 1) || a.slice(i + 1) === b.slice(i);
};
const score = (words, entry) => {
  const name = plain(entry[0]), rest = plain(entry[1]);
  let sum = 0;
  for (const w of words) {
    if (name.includes(w)) sum += name.startsWith(w) ? 4 : 3;
    else if (rest.includes(w)) sum += 1;
    else if (name.split(/[^a-z0-9]+/).some((x) => near(w, x))) sum += 2;
    else return 0;
  }
  return sum;
};
const show = () => {
  const words = plain(input.value).split(/\s+/).filter(Boolean);
  const hits = words.length ? found.map((e) => [score(words, e), e]).filter((h) => h[0]).sort((a, b) => b[0] - a[0]) : [];
  list.replaceChildren(...hits.slice(0, 40).map(([, e]) => {
    const li = document.createElement('li'), a = document.createElement('a'), p = document.createElement('span');
    a.href = home + e[2];
    a.textContent = e[0];
    p.className = 'soft';
    p.textContent = ' ' + e[1];
    li.append(a, p);
    return li;
  }));
  document.getElementById('said').textContent = words.length ? (hits.length || 'Nothing') + ' found' : '';
};
input.value = new URLSearchParams(location.search).get('q') || '';
input.addEventListener('input', show);
show();
