import './nonce.js';
import '@fontsource-variable/inter/wght.css';
import './look.css';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router.js';

createApp(App).use(router).mount('#app');
