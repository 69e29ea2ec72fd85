import { mount } from 'svelte';
import App from './App.svelte';
import './pilots.css';

mount(App, { target: document.getElementById('root')! });
