import { createRouter, createWebHistory } from 'vue-router'
import { link, lost } from './api/link'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', component: () => import('./pages/home/TodayPage.vue') },
    { path: '/bench', component: () => import('./pages/bench/BenchPage.vue') },
    { path: '/bench/tests', component: () => import('./pages/bench/TestsPage.vue') },
    { path: '/bench/wall', meta: { bare: true }, component: () => import('./pages/bench/WallPage.vue') },
    { path: '/bench/tests/:slug', component: () => import('./pages/bench/TestPage.vue') },
    { path: '/bench/inspect', component: () => import('./pages/bench/InspectPage.vue') },
    { path: '/bench/inspect/:unit', component: () => import('./pages/bench/InspectPage.vue') },
    { path: '/bench/setups', component: () => import('./pages/bench/SetupsPage.vue') },
    { path: '/catalogue', component: () => import('./pages/catalogue/CataloguePage.vue') },
    { path: '/catalogue/rigs', component: () => import('./pages/catalogue/RigsPage.vue') },
    { path: '/catalogue/:slug', component: () => import('./pages/catalogue/ModelPage.vue') },
    { path: '/results', component: () => import('./pages/results/ResultsPage.vue') },
    { path: '/results/incidents', component: () => import('./pages/results/IncidentsPage.vue') },
    { path: '/results/partners', component: () => import('./pages/results/PartnersPage.vue') },
    { path: '/results/doubts', component: () => import('./pages/results/DoubtsPage.vue') },
    { path: '/results/rules', component: () => import('./pages/results/RulesPage.vue') },
    { path: '/results/changed', component: () => import('./pages/results/ChangedPage.vue') },
    { path: '/results/intake', component: () => import('./pages/results/IntakePage.vue') },
    { path: '/results/history', component: () => import('./pages/results/HistoryPage.vue') },
    { path: '/results/:id', component: () => import('./pages/results/RunPage.vue') },
    { path: '/compare', component: () => import('./pages/compare/ComparePage.vue') },
    { path: '/compare/head', component: () => import('./pages/compare/HeadPage.vue') },
    { path: '/compare/area', component: () => import('./pages/compare/AreaPage.vue') },
    { path: '/compare/index', component: () => import('./pages/compare/IndexPage.vue') },
    { path: '/compare/fit', component: () => import('./pages/compare/FitPage.vue') },
    { path: '/compare/value', component: () => import('./pages/compare/ValuePage.vue') },
    { path: '/compare/modes', component: () => import('./pages/compare/ModesPage.vue') },
    { path: '/compare/curves', component: () => import('./pages/compare/CurvesPage.vue') },
    { path: '/compare/claims', component: () => import('./pages/compare/ClaimsPage.vue') },
    { path: '/compare/next', component: () => import('./pages/compare/NextPage.vue') },
    { path: '/compare/fields', component: () => import('./pages/compare/FieldsPage.vue') },
    { path: '/reviews', component: () => import('./pages/reviews/ReviewsPage.vue') },
    { path: '/reviews/:slug', component: () => import('./pages/reviews/ReviewPage.vue') },
    { path: '/people', component: () => import('./pages/desk/PeoplePage.vue') },
    { path: '/desk/api', component: () => import('./pages/desk/ApiPage.vue') },
    { path: '/desk', component: () => import('./pages/desk/DeskPage.vue') },
    { path: '/:rest(.*)', component: () => import('./pages/LostPage.vue') },
  ],
  scrollBehavior: (to, from, saved) => saved ?? (to.path === from.path ? undefined : { top: 0 }),
})

// A page whose code cannot be had: the service is away, or it is another version by now, which one reload brings.
let pending = ''
router.onError((error: unknown, to) => {
  if (!/import|module|preload|fetch/i.test(String(error))) return
  pending = to.fullPath
  void fetch('/healthz', { cache: 'no-store' }).then(
    () => {
      if (sessionStorage.getItem('reloaded for') === pending) return
      sessionStorage.setItem('reloaded for', pending)
      location.assign(pending)
    },
    () => {
      link.waits = pending
      lost()
    },
  )
})
router.afterEach(() => {
  sessionStorage.removeItem('reloaded for')
  link.waits = ''
})

/** Goes on to the page that could not be loaded while the service was away. */
export function resume(): void {
  if (link.waits) location.assign(link.waits)
}
