import { createRouter } from 'sv-router';
import Nowhere from './views/Nowhere.svelte';
import BackupsView from './views/backups/BackupsView.svelte';
import FilesView from './views/files/FilesView.svelte';
import FileView from './views/files/FileView.svelte';
import MessagesView from './views/messages/MessagesView.svelte';
import PreviewView from './views/preview/PreviewView.svelte';
import RunsView from './views/run/RunsView.svelte';
import RunView from './views/run/RunView.svelte';
import SetupView from './views/setup/SetupView.svelte';
import SortView from './views/sort/SortView.svelte';
import WatchView from './views/watch/WatchView.svelte';

export const { p, navigate, isActive, route } = createRouter({
  '/': WatchView,
  '/sort/:system': SortView,
  '/backups/:system': BackupsView,
  '/plans/:plan': PreviewView,
  '/runs': RunsView,
  '/runs/:run': RunView,
  '/files': FilesView,
  '/files/:file': FileView,
  '/messages': MessagesView,
  '/setup': SetupView,
  '/setup/:system': SetupView,
  '*': Nowhere,
});
