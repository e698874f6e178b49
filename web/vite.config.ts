import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'
import vuetify from 'vite-plugin-vuetify'
import { packed } from './packed'

export default defineConfig({
  plugins: [vue({ template: { compilerOptions: { isCustomElement: (tag) => tag === 'rapi-doc' } } }), vuetify({ autoImport: true }), packed('dist')],
  build: { target: 'es2022', chunkSizeWarningLimit: 1200 },
})
