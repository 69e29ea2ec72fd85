import DefaultTheme from 'vitepress/theme';
import LivePage from './LivePage.vue';
import './floe.css';

export default {
  extends: DefaultTheme,
  enhanceApp({ app }) {
    app.component('LivePage', LivePage);
  },
};
