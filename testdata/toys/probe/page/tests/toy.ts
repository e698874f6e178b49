import { ok, type Tests } from '../harness'

export const runners: Tests['runners'] = { 'toy-echo': async () => ({ readings: [ok('echoes', 42)] }) }
