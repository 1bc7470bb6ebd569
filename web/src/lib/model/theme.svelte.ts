class Theme {
  current = $state(document.documentElement.dataset.theme ?? 'light');

  toggle(): void {
    this.current = this.current === 'dark' ? 'light' : 'dark';
    document.documentElement.dataset.theme = this.current;
    localStorage.setItem('theme', this.current);
  }
}

export const theme = new Theme();
