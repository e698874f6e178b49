import { createVuetify } from 'vuetify'
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg'

// The palette stands here once; pages hold no colours of their own.
const light = {
  background: '#F6F8F9', surface: '#FFFFFF', 'on-background': '#12232E', 'on-surface': '#12232E', primary: '#0B6E7F', 'on-primary': '#FFFFFF',
  secondary: '#4F6470', error: '#A81E6B', warning: '#A81E6B', info: '#0B6E7F', success: '#0B6E7F',
  soft: '#4F6470', line: '#C9D4DA', bar: '#9DB2BD', tie: '#F6EBCB', caution: '#A81E6B',
}
const dark = {
  background: '#0E1B23', surface: '#14252F', 'on-background': '#E3ECEF', 'on-surface': '#E3ECEF', primary: '#39B3C4', 'on-primary': '#0E1B23',
  secondary: '#9DB1BB', error: '#F07AB5', warning: '#F07AB5', info: '#39B3C4', success: '#39B3C4',
  soft: '#9DB1BB', line: '#2C414D', bar: '#4F6B79', tie: '#3A3722', caution: '#F07AB5',
}

const field = { variant: 'outlined', density: 'compact', hideDetails: 'auto', rounded: '4' } as const

export const look = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    defaultTheme: localStorage.getItem('look') === 'dark' || (!localStorage.getItem('look') && matchMedia('(prefers-color-scheme: dark)').matches) ? 'dark' : 'light',
    themes: { light: { dark: false, colors: light, variables: { 'border-color': '#C9D4DA', 'border-opacity': 1 } }, dark: { dark: true, colors: dark, variables: { 'border-color': '#2C414D', 'border-opacity': 1 } } },
  },
  defaults: {
    VBtn: { variant: 'outlined', flat: true, rounded: '4', class: 'btn' },
    VCard: { flat: true, border: true, rounded: '5' },
    VTextField: field, VTextarea: field, VSelect: field, VAutocomplete: { ...field, filterKeys: ['title', 'value'] }, VCombobox: field, VFileInput: field,
    VCheckbox: { density: 'compact', hideDetails: true, color: 'primary' },
    VTable: { density: 'compact' },
    VProgressLinear: { color: 'primary', bgColor: 'line', bgOpacity: 1, height: 6, rounded: true },
    VDialog: { maxWidth: 640 },
    VAlert: { variant: 'outlined', density: 'compact', color: 'caution' },
  },
})
