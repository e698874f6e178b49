<script setup lang="ts">
import { onUnmounted, ref } from 'vue'
import { api, must } from '../api/client'
import Trouble from '../parts/Trouble.vue'

// Who is not signed in asks to be let in, shows an owner the number, and waits.
const name = ref('')
const number = ref('')
const trouble = ref<unknown>(null)
const turned = ref(false)
let secret = ''
let timer: ReturnType<typeof setTimeout> | undefined
async function ask() {
  trouble.value = null
  turned.value = false
  try {
    const asked = await must(api.POST('/api/entry/asks', { body: { name: name.value.trim() } }))
    secret = asked.secret
    number.value = asked.number
    timer = setTimeout(look, 1500)
  } catch (e) {
    trouble.value = e
  }
}
async function look() {
  try {
    const { state, code } = await must(api.POST('/api/entry/answers', { body: { secret } }))
    if (code) {
      const to = encodeURIComponent(location.pathname + location.search)
      location.href = `/sign-in?code=${code}&to=${to}`
      return
    }
    if (state === 'waiting') {
      timer = setTimeout(look, 1500)
      return
    }
    turned.value = true
  } catch (e) {
    trouble.value = e
  }
  number.value = ''
}
onUnmounted(() => clearTimeout(timer))
</script>

<template>
  <section class="sheet pad entry" aria-labelledby="entry">
    <h1 id="entry">Sign in</h1>
    <p class="soft mt-1">
      Open the sign-in link that the service printed when it started, or one that an owner of the desk made for you. Or ask
      to be let in:
    </p>
    <Trouble v-if="trouble" class="mt-3" :error="trouble" />
    <p v-if="turned" class="caution mt-3" role="status">You were turned away.</p>
    <div v-if="number" class="mt-4" role="status">
      <p>An owner of the desk finds you under <em>People</em>. Tell them this number:</p>
      <p class="number">{{ number }}</p>
      <p class="soft small">This page goes on by itself. It waits for 15 minutes.</p>
    </div>
    <form v-else class="row mt-4" @submit.prevent="ask">
      <v-text-field v-model="name" label="Your name" maxlength="60" autocomplete="name" />
      <v-btn class="go" type="submit" :disabled="!name.trim()">Ask to be let in</v-btn>
    </form>
  </section>
</template>

<style scoped>
.entry { max-width: 560px; margin: 8vh auto }
.number { font-size: 40px; font-weight: 600; letter-spacing: 0.15em; font-variant-numeric: tabular-nums }
</style>
