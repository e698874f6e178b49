<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import { api, must, Refusal } from './api/client'
import { link } from './api/link'
import { labelTables } from './parts/cards'
import Finder from './parts/Finder.vue'
import SignedOut from './pages/SignedOut.vue'
import { said, takeBack } from './parts/told'
import Trouble from './parts/Trouble.vue'

const route = useRoute()
const theme = useTheme()
const me = useQuery({ queryKey: ['me'], queryFn: () => must(api.GET('/api/me')), staleTime: Infinity })
// A page that was there stays: what is on it is not lost for a question that failed.
const away = computed(() => me.error.value instanceof Refusal && me.error.value.status === 0)
const out = computed(() => me.error.value instanceof Refusal && me.error.value.status === 401)
const pages = [
  ['/', 'Today'],
  ['/bench', 'Bench'],
  ['/catalogue', 'Catalogue'],
  ['/results', 'Results'],
  ['/compare', 'Compare'],
  ['/reviews', 'Reviews'],
] as const
const on = (to: string) => (to === '/' ? route.path === '/' : route.path.startsWith(to))
const dark = computed(() => theme.global.name.value === 'dark')
const finding = ref(false)
const more = ref(false)
const main = ref<HTMLElement | null>(null)
const began = ref(false)
void useRouter().isReady().then(() => setTimeout(() => (began.value = true)))
// Whoever goes by keyboard or listens begins at the top of the page that came.
watch(() => route.path, (_, from) => {
  more.value = false
  if (began.value && from) void nextTick(() => main.value?.focus({ preventScroll: true }))
})
onMounted(() => main.value && labelTables(main.value))
async function signOut() {
  await api.POST('/api/sign-out')
  location.reload()
}
// Paper is light.
let onScreen = ''
addEventListener('beforeprint', () => {
  onScreen = theme.global.name.value
  theme.change('light')
})
addEventListener('afterprint', () => theme.change(onScreen))
function turn() {
  const next = dark.value ? 'light' : 'dark'
  localStorage.setItem('look', next)
  theme.change(next)
}
</script>

<template>
  <v-app>
    <a class="skip" href="#main" @click.prevent="main?.focus()">Skip to the page</a>
    <nav v-if="!route.meta.bare && !out" class="rail" :class="{ open: more }" aria-label="Pages">
      <div class="name">Durvek</div>
      <div class="desk">{{ me.data.value?.desk }}</div>
      <button type="button" class="seek" aria-keyshortcuts="Control+K Meta+K" @click="finding = true">Find <kbd>Ctrl K</kbd></button>
      <router-link v-for="[to, name] in pages" :key="to" :to="to" :class="[{ on: on(to) }, `to-${name.toLowerCase()}`]" :aria-current="on(to) ? 'page' : undefined">{{ name }}</router-link>
      <button type="button" class="unfold" :aria-expanded="more" @click="more = !more">{{ more ? 'Less' : 'More' }}</button>
      <div class="foot"><router-link to="/desk" :class="{ on: route.path === '/desk' }">Settings</router-link><router-link to="/people" :class="{ on: route.path === '/people' }">{{ me.data.value?.name ?? 'People' }}</router-link><button type="button" @click="turn">{{ dark ? 'Light' : 'Dark' }}</button><button type="button" @click="signOut">Sign out</button></div>
    </nav>
    <main id="main" ref="main" class="page" :class="{ bare: route.meta.bare || out }" tabindex="-1">
      <div v-if="link.down" class="banner" role="alert">The service does not answer. What you type is kept here, and this page goes on by itself when it is back.</div>
      <SignedOut v-if="out" />
      <Trouble v-else-if="me.error.value && !away" :error="me.error.value" />
      <router-view v-if="me.data.value || !me.error.value" />
    </main>
    <div v-if="said.now" class="said" role="status">{{ said.now.text }}<button v-if="said.now.undo" type="button" class="plainly" @click="takeBack">Undo</button></div>
    <div v-if="said.trouble" class="said"><Trouble :error="said.trouble" /><button type="button" class="plainly" @click="said.trouble = null">Close</button></div>
    <Finder v-model="finding" />
  </v-app>
</template>
