<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useTheme } from 'vuetify'
import { api, must } from './api/client'
import Trouble from './parts/Trouble.vue'

const route = useRoute()
const theme = useTheme()
const me = useQuery({ queryKey: ['me'], queryFn: () => must(api.GET('/api/me')), staleTime: Infinity })
const pages = [
  ['/bench', 'Bench'],
  ['/catalogue', 'Catalogue'],
  ['/results', 'Results'],
  ['/compare', 'Compare'],
  ['/reviews', 'Reviews'],
] as const
const dark = computed(() => theme.global.name.value === 'dark')
async function signOut() {
  await api.POST('/api/sign-out')
  location.reload()
}
function turn() {
  const next = dark.value ? 'light' : 'dark'
  localStorage.setItem('look', next)
  theme.change(next)
}
</script>

<template>
  <v-app>
    <nav class="rail" aria-label="Pages">
      <div class="name">Durvek</div>
      <div class="desk">{{ me.data.value?.desk }}</div>
      <router-link v-for="[to, name] in pages" :key="to" :to="to" :class="{ on: route.path.startsWith(to) }">{{ name }}</router-link>
      <div class="foot"><router-link to="/people" :class="{ on: route.path === '/people' }">{{ me.data.value?.name ?? 'People' }}</router-link><button type="button" @click="turn">{{ dark ? 'Light' : 'Dark' }}</button><button type="button" @click="signOut">Sign out</button></div>
    </nav>
    <main class="page">
      <Trouble v-if="me.error.value" :error="me.error.value" />
      <router-view v-else />
    </main>
  </v-app>
</template>
