import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', redirect: '/compare' },
    { path: '/bench', component: () => import('./pages/bench/BenchPage.vue') },
    { path: '/bench/tests', component: () => import('./pages/bench/TestsPage.vue') },
    { path: '/bench/tests/:slug', component: () => import('./pages/bench/TestPage.vue') },
    { path: '/bench/inspect', component: () => import('./pages/bench/InspectPage.vue') },
    { path: '/bench/inspect/:unit', component: () => import('./pages/bench/InspectPage.vue') },
    { path: '/catalogue', component: () => import('./pages/catalogue/CataloguePage.vue') },
    { path: '/catalogue/:slug', component: () => import('./pages/catalogue/ModelPage.vue') },
    { path: '/results', component: () => import('./pages/results/ResultsPage.vue') },
    { path: '/results/incidents', component: () => import('./pages/results/IncidentsPage.vue') },
    { path: '/results/partners', component: () => import('./pages/results/PartnersPage.vue') },
    { path: '/results/doubts', component: () => import('./pages/results/DoubtsPage.vue') },
    { path: '/results/rules', component: () => import('./pages/results/RulesPage.vue') },
    { path: '/results/changed', component: () => import('./pages/results/ChangedPage.vue') },
    { path: '/results/history', component: () => import('./pages/results/HistoryPage.vue') },
    { path: '/results/:id', component: () => import('./pages/results/RunPage.vue') },
    { path: '/compare', component: () => import('./pages/compare/ComparePage.vue') },
    { path: '/reviews', component: () => import('./pages/reviews/ReviewsPage.vue') },
    { path: '/reviews/:slug', component: () => import('./pages/reviews/ReviewPage.vue') },
    { path: '/:rest(.*)', component: () => import('./pages/LostPage.vue') },
  ],
})
