<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useTheme } from 'vuetify'
import { api, must } from '../../api/client'
import { bytes } from '../../parts/words'

// The file that a run's figures were made of, with its picture.
const props = defineProps<{ run: string }>()
const theme = useTheme()
const source = useQuery({ queryKey: computed(() => ['source', props.run]), retry: false, queryFn: () => must(api.GET('/api/runs/{slug}/source', { params: { path: { slug: props.run } } })) })
const dark = computed(() => (theme.global.name.value === 'dark' ? '?dark=true' : ''))
</script>

<template>
  <div v-if="source.data.value" class="sheet pad">
    <div class="row mb-2"><strong>Made of {{ source.data.value.name }}</strong><span class="soft small">{{ bytes(source.data.value.size) }}, read by {{ source.data.value.analysis }} {{ source.data.value.version }}, taken in {{ source.data.value.added }} by {{ source.data.value.by }}</span><v-spacer /><a :href="`/api/runs/${run}/source/file`" download>The file</a></div>
    <p v-for="n in source.data.value.notes ?? []" :key="n" class="small">{{ n }}</p>
    <img class="drawn" :src="`/api/runs/${run}/source/picture.svg${dark}`" :alt="`Picture of ${source.data.value.name}`" />
  </div>
</template>

<style scoped>
.drawn { display: block; width: 100%; height: auto; border-radius: 4px; }
</style>
