import { mount } from 'svelte';
import './app.css';
import App from './App.svelte';
import { applyMode } from './lib/mode.svelte';

applyMode();
const target = document.getElementById('app');
if (!target) throw new Error('the page has no place for the console');
mount(App, { target });
