import { mount } from 'svelte';
import App from './App.svelte';
import './board.css';

mount(App, { target: document.getElementById('root')! });
