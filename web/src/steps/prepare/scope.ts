// What settings of the step are for: all frames, or the chosen ones alone.
import { useQuery } from '@tanstack/vue-query'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api } from '../../api/client'
import { queries } from '../../api/queries'
import type { PrepareChange } from '../../api/types'
import { prepareOf, setPrepare } from '../../domain/differences'
import { useShoot } from '../../state/shoot'

export const useScope = defineStore('scope', () => {
  const store = useShoot()
  /** The chosen lights, to which settings may be given alone. */
  const chosen = computed(
    () =>
      store.shoot?.frames.filter((f) => f.role === 'light' && store.chosen.includes(f.id)) ?? [],
  )
  const scope = ref<'all' | 'chosen'>('all')
  watch(
    () => chosen.value.length,
    (count) => count || (scope.value = 'all'),
  )
  /** The files of those that settings are given to; all of the shoot where there are none. */
  const given = computed(() => (scope.value === 'all' ? null : chosen.value.map((f) => f.blake3)))
  const prepare = computed(() => {
    const plan = store.shoot!.plan
    return given.value ? prepareOf(plan, given.value[0]!) : plan.prepare
  })

  function change(what: PrepareChange) {
    const to = given.value
    void store.setPlan((plan) => setPrepare(plan, to, what))
  }

  /** What the reference frame tells about its colours. */
  const { data: colour } = useQuery(
    {
      queryKey: computed(() => ['colour', store.reference?.id] as const),
      queryFn: ({ queryKey: [, id] }) => api.colour(id!),
      enabled: computed(() => store.reference !== undefined),
      shallow: true,
    },
    queries,
  )
  const raw = computed(() => colour.value?.raw ?? false)
  return { chosen, scope, given, prepare, change, colour, raw }
})
