import { createRouter, createWebHistory } from 'vue-router'
import { begun } from './rest'

/** The address says which object is open and in which stage, so that a reload comes back to it. */
export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/', name: 'start', component: () => import('./frame/StartPage.vue') },
    {
      path: '/project/:project(\\d+)/batch',
      name: 'batch',
      component: () => import('./batch/BatchPage.vue'),
    },
    { path: '/object/:object(\\d+)', redirect: (to) => ({ name: 'weather', params: to.params }) },
    {
      path: '/object/:object(\\d+)/object',
      name: 'object',
      component: () => import('./stages/object/ObjectStage.vue'),
    },
    {
      path: '/object/:object(\\d+)/base',
      name: 'base',
      component: () => import('./stages/base/BaseStage.vue'),
    },
    {
      path: '/object/:object(\\d+)/weather',
      name: 'weather',
      component: () => import('./stages/weather/WeatherStage.vue'),
    },
    {
      path: '/object/:object(\\d+)/review',
      name: 'review',
      component: () => import('./stages/review/ReviewStage.vue'),
    },
    {
      path: '/object/:object(\\d+)/export',
      name: 'export',
      component: () => import('./stages/export/ExportStage.vue'),
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})

/** The code of a stage comes when it is first opened: the page is not at rest before. */
let over: (() => void) | undefined
router.beforeEach(() => {
  over?.()
  over = begun('a stage')
})
router.afterEach(() => over?.())
router.onError(() => over?.())
