import '@fontsource-variable/hanken-grotesk'
import '@fontsource-variable/spline-sans-mono'
import './style.css'
import { createPinia } from 'pinia'
import { createApp } from 'vue'
import App from './app/App.vue'
import { loadKinds } from './api/kinds'
import { router } from './app/router'

// Every page asks what follows from the kind of a shoot.
void loadKinds().then(() => createApp(App).use(createPinia()).use(router).mount('#app'))
