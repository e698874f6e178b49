<script setup lang="ts">
import { useRoute } from 'vue-router'

const route = useRoute()
const ways = [
  ['/compare', 'Ranked'],
  ['/compare/area', 'Many at once'],
  ['/compare/head', 'Head to head'],
  ['/compare/index', 'Index'],
  ['/compare/fit', 'Fit for a use'],
  ['/compare/value', 'Value'],
  ['/compare/modes', 'Modes'],
  ['/compare/curves', 'Curves'],
  ['/compare/claims', 'Claims'],
  ['/compare/next', 'Test next'],
  ['/compare/fields', 'Fields'],
] as const
// What one looks at goes along from one way of comparing to the next.
const along = () => Object.fromEntries(['field', 'subject', 'setup'].flatMap((k) => (route.query[k] ? [[k, route.query[k]]] : [])))
</script>

<template>
  <nav class="ways" aria-label="Ways to compare">
    <router-link v-for="[to, name] in ways" :key="to" :to="{ path: to, query: along() }" :class="{ on: route.path === to }" :aria-current="route.path === to ? 'page' : undefined">{{ name }}</router-link>
  </nav>
</template>
