import { createRouter, createWebHistory } from 'vue-router'
import ShootsPage from '../shoots/ShootsPage.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: ShootsPage },
    // The workbench brings the viewer's library along, which the first page does not wait for.
    {
      path: '/shoots/:id(\\d+)',
      component: () => import('./ShootPage.vue'),
      props: (route) => ({ id: Number(route.params.id) }),
    },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
