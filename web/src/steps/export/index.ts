import type { Bench, Step } from '../step'
import ExportSheet from './ExportSheet.vue'

const saved = ({ results }: Bench) => results.some((result) => result.exports.length)

export const exporting: Step = {
  name: 'export',
  label: 'Export',
  state: (bench) => (saved(bench) ? 'done' : 'waiting'),
  finding: (bench) => (saved(bench) ? 'saved' : 'waiting'),
  sheet: () => ExportSheet,
}
