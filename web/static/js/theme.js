// Light or dark, before the first paint. Not a module, so that nothing flashes.
(() => {
  const kept = localStorage.getItem('theme');
  const dark = kept ? kept === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
  document.documentElement.dataset.theme = dark ? 'dark' : 'light';
  addEventListener('DOMContentLoaded', () => {
    document.getElementById('theme')?.addEventListener('click', () => {
      const next = document.documentElement.dataset.theme === 'dark' ? 'light' : 'dark';
      document.documentElement.dataset.theme = next;
      localStorage.setItem('theme', next);
      dispatchEvent(new Event('themechange'));
    });
  });
})();
