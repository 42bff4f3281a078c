import { mount } from 'svelte';
import './app.css';
import App from './App.svelte';

const dark = window.matchMedia('(prefers-color-scheme: dark)');
const follow = () => document.documentElement.classList.toggle('dark', dark.matches);
dark.addEventListener('change', follow);
follow();

mount(App, { target: document.getElementById('app')! });
