// What a column shows of its frame: bar, name, tooltip and border.
import { computed } from 'vue'
import type { Frame } from '../../api/types'
import { toldChange } from '../../domain/differences'
import { useMarks } from '../../domain/marks'
import { measure, measured, type MeasureName } from '../../domain/measures'
import { useShoot } from '../../state/shoot'

export function useColumnText(shows: () => MeasureName) {
  const store = useShoot()
  const { doubt, remark } = useMarks()
  const highest = computed(() => {
    const values = store.lights.map((f) => measured(f, shows()) ?? 0)
    return Math.max(...values, 1e-9)
  })

  /** Settings that single frames have alone. */
  const differs = computed(
    () =>
      new Map(
        store.shoot?.plan.differences.map(
          (own) =>
            [
              own.blake3,
              toldChange(own.change)
                .map((one) => one.text)
                .join(', '),
            ] as const,
        ),
      ),
  )

  /** Height of a frame's bar as a share of the highest. */
  function bar(one: Frame): number | null {
    const value = one.role === 'light' ? measured(one, shows()) : null
    return value === null ? null : value / highest.value
  }

  function title(one: Frame): string {
    if (one.left_out) return `${one.name}, left out`
    const reason = remark(one)
    const value = measured(one, shows())
    const { label, told } = measure(shows())
    const own = differs.value.get(one.blake3)
    const figure =
      (value === null ? '' : `, ${label}: ${told(value)}`) + (own ? `, own settings: ${own}` : '')
    return reason ? `${one.name}: ${reason}` : `${one.name}${figure}`
  }

  /** Letters that all names begin with tell nothing, and columns are narrow. */
  const common = computed(() => {
    const [first, ...others] = store.groups.flatMap((g) => g.frames.map((f) => f.name))
    const letters = first?.match(/^\D+(?=\d)/)?.[0] ?? ''
    return others.every((name) => name.startsWith(letters)) ? letters : ''
  })

  function short(one: Frame): string {
    const name = one.name.replace(/\.[^.]+$/, '')
    return name.length > 5 ? name.slice(common.value.length) : name
  }

  function border(one: Frame): string {
    if (one.id === store.reference?.id) return 'border-jade'
    if (one.id === store.selected) return 'border-ink'
    return remark(one) ? 'border-amber' : 'border-transparent'
  }

  return { differs, bar, title, short, border, doubt }
}
