<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { reactive, ref } from 'vue'
import { api, must } from '../../api/client'
import Trouble from '../../parts/Trouble.vue'

const open = defineModel<boolean>({ required: true })
const props = defineProps<{ variant: string }>()
const queries = useQueryClient()
const form = reactive({ price: '', currency: 'EUR', region: 'DE', seller: '', date: new Date().toISOString().slice(0, 10), condition: 'new' as 'new' | 'used' | 'refurbished', tax: true, list: false, code: '', off: '', contents: '' })
const trouble = ref<unknown>(null)
/** Minor units of a price as it is typed. */
const minor = (text: string) => Math.round(Number(text.replace(/[ ,](?=\d{3}\b)/g, '').replace(',', '.')) * 10 ** (new Intl.NumberFormat('en', { style: 'currency', currency: form.currency }).resolvedOptions().maximumFractionDigits ?? 2))
async function note() {
  trouble.value = null
  try {
    const amount = minor(form.price)
    if (!form.price || !Number.isFinite(amount)) throw new Error(`The price is a number such as 1049.00, not “${form.price}”.`)
    await must(api.POST('/api/offers', { body: { variant: props.variant, amount, currency: form.currency, region: form.region, seller: form.seller, date: form.date, condition: form.condition, tax_included: form.tax, list: form.list,
      ...(form.code ? { voucher: { code: form.code, amount: minor(form.off) } } : {}), contents: form.contents.split(',').map((s) => s.trim()).filter(Boolean) } }))
    open.value = false
    await queries.invalidateQueries()
  } catch (e) {
    trouble.value = e
  }
}
</script>

<template>
  <v-dialog v-model="open">
    <v-card class="pad">
      <strong class="mb-3">Note a price</strong>
      <Trouble v-if="trouble" :error="trouble" />
      <div class="stack">
        <div class="row"><v-text-field v-model="form.price" label="Price, after the voucher" /><v-text-field v-model="form.currency" label="Currency" /><v-text-field v-model="form.region" label="Region" /></div>
        <div class="row"><v-text-field v-model="form.seller" label="Seller" /><v-text-field v-model="form.date" label="Seen on" type="date" /><v-select v-model="form.condition" label="Condition" :items="['new', 'used', 'refurbished']" /></div>
        <div class="row"><v-text-field v-model="form.code" label="Voucher" /><v-text-field v-model="form.off" label="which takes off" /></div>
        <v-text-field v-model="form.contents" label="What is in the box besides, commas between" />
        <div class="row"><v-checkbox v-model="form.tax" label="Tax is included" /><v-checkbox v-model="form.list" label="It is the list price" /></div>
        <div class="row"><v-spacer /><v-btn @click="open = false">Cancel</v-btn><v-btn class="go" @click="note">Note it</v-btn></div>
      </div>
    </v-card>
  </v-dialog>
</template>
