// Runs before the first paint, so that the chosen theme never flashes.
const chosen = localStorage.getItem('theme');
const dark = chosen ? chosen === 'dark' : matchMedia('(prefers-color-scheme: dark)').matches;
document.documentElement.dataset.theme = dark ? 'dark' : 'light';
