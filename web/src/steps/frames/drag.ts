// Dragging across columns leaves frames out, or takes them in when it begins on one that is out;
// dragging into another set moves them there.
import { computed, ref } from 'vue'
import type { Frame } from '../../api/types'
import type { Group } from '../../domain/groups'
import { useShoot } from '../../state/shoot'

interface Drag {
  from: Frame
  group: Group
  to: Frame
  over: Group
}
export function useDrag() {
  const store = useShoot()
  const drag = ref<Drag | null>(null)
  const moving = computed(() => drag.value !== null && drag.value.over.key !== drag.value.group.key)
  const swept = computed(() => {
    if (!drag.value || moving.value || drag.value.from.role !== 'light') return new Set<number>()
    const ids = drag.value.group.frames.map((f) => f.id)
    const ends = [ids.indexOf(drag.value.from.id), ids.indexOf(drag.value.to.id)]
    return new Set(ids.slice(Math.min(...ends), Math.max(...ends) + 1))
  })
  /** What is moved: all that is chosen, where the dragged frame is one of them. */
  const moved = computed(() => {
    if (!drag.value) return []
    const { id } = drag.value.from
    return store.chosen.includes(id) ? store.chosen : [id]
  })

  function down(event: PointerEvent, from: Frame, group: Group) {
    if (event.button !== 0 || event.shiftKey || event.ctrlKey || event.metaKey) return
    drag.value = { from, group, to: from, over: group }
  }

  function move(event: PointerEvent) {
    if (!drag.value) return
    const at = document.elementFromPoint(event.clientX, event.clientY)
    const key = at?.closest('[data-group]')?.getAttribute('data-group')
    const over = store.groups.find((g) => g.key === key)
    if (over) drag.value.over = over
    const id = Number(at?.closest('[data-frame]')?.getAttribute('data-frame'))
    const to = drag.value.group.frames.find((f) => f.id === id)
    if (to) drag.value.to = to
  }

  function up() {
    const done = drag.value
    const [ids, out] = [[...swept.value], !done?.from.left_out]
    const [where, what] = [moving.value ? done?.over : null, moved.value]
    drag.value = null
    if (where) {
      if (where.set) void store.moveTo(what, where.set)
      else void store.setRole(what, where.role)
    } else if (done && done.from.id !== done.to.id && ids.length) {
      void store.leaveOut(ids, out)
    }
  }

  return { drag, moving, swept, moved, down, move, up }
}
