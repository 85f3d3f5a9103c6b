<script setup lang="ts">
import { FolderOpen, Upload } from '@lucide/vue'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import type { Frame, Role } from '../api/types'
import Segmented from '../parts/Segmented.vue'
import { bytes, factRows, measureRows, roleNames } from '../parts/units'
import { useShoot } from '../shoot/store'
import ChosenFrames from './ChosenFrames.vue'
import FolderSheet from './FolderSheet.vue'
import ProposedSets from './ProposedSets.vue'
import SetList from './SetList.vue'
import { useUploads } from './uploads'

const store = useShoot()
const uploads = useUploads()
const browsing = ref(false)
/** What a file picker offers; raw files are told by their content, whatever they are called. */
const endings =
  '.dng,.cr2,.cr3,.nef,.nrw,.arw,.orf,.rw2,.raf,.pef,.srw,.3fr,.iiq,.tif,.tiff,.png,.jpg,.jpeg'
const input = ref<HTMLInputElement>()

const frame = computed(
  () => store.shoot?.frames.find((f) => f.id === store.selected) ?? store.reference,
)

function picked() {
  const files = [...(input.value?.files ?? [])]
  if (files.length) void uploads.add(store.shoot!.id, files)
  input.value!.value = ''
}

const roles = (Object.keys(roleNames) as Role[]).map((value) => ({
  value,
  text: roleNames[value],
}))
const role = computed<Role>({
  get: () => frame.value?.role ?? 'light',
  set: (role) => void (frame.value && store.setRole([frame.value.id], role)),
})

/** Frames of the same set that are in, before this one and after it. */
const own = computed(
  () => store.groups.find((g) => g.frames.some((f) => f.id === frame.value?.id))?.frames ?? [],
)
const place = computed(() => own.value.findIndex((f) => f.id === frame.value?.id))
const before = computed(() => within(own.value.slice(0, Math.max(place.value, 0))))
const after = computed(() => within(own.value.slice(place.value + 1)))

function within(frames: Frame[]): number[] {
  return frames.filter((f) => !f.left_out).map((f) => f.id)
}

/** Frames that something speaks against, with the reason. */
const doubts = computed(() =>
  (store.shoot?.doubts ?? []).flatMap((doubt) => {
    const one = store.lights.find((f) => f.id === doubt.frame_id)
    return one ? [{ one, reason: doubt.reason }] : []
  }),
)
const waiting = computed(
  () => store.shoot?.frames.filter((f) => !f.problem && !f.measures).length ?? 0,
)

function look(id: number) {
  store.selected = id
  store.a = `frame-${id}`
}

const watched = computed(() => store.shoot?.watched)
const folderName = computed(() => watched.value?.path.split('/').at(-1))

async function dismiss(id: number) {
  const shoot = await store.attempt(() => api.removeFrame(store.shoot!.id, id))
  if (shoot) store.take(shoot)
}
</script>

<template>
  <h2 class="text-[15px] font-semibold">Frames</h2>
  <p class="mb-3 text-dim">
    {{
      store.lights.length
        ? 'Leave out what is spoiled; the rest is stacked.'
        : 'Add the frames of one scene to begin.'
    }}
  </p>

  <div class="grid grid-cols-2 gap-1.5 pb-3">
    <button class="button flex items-center justify-center gap-1.5" @click="input?.click()">
      <Upload :size="15" /> Add files
    </button>
    <button
      class="button flex items-center justify-center gap-1.5"
      data-test="add-folder"
      @click="browsing = true"
    >
      <FolderOpen :size="15" /> Add a folder
    </button>
    <input
      ref="input"
      type="file"
      multiple
      :accept="endings"
      class="sr-only"
      tabindex="-1"
      aria-label="Frames to add"
      data-test="files"
      @change="picked"
    />
    <p class="col-span-2 text-[12px] text-faint">
      Camera raw, TIFF, PNG or JPEG. Drop files anywhere on this page. Frames from a folder stay
      where they are.
    </p>
  </div>

  <div v-if="uploads.uploads.length" class="section" data-test="uploads">
    <h3 class="flex items-baseline gap-2">
      On their way
      <button
        v-if="uploads.uploads.filter((one) => !one.problem).length > 1"
        class="ml-auto text-[12px] font-normal text-jade"
        data-test="stop-uploads"
        @click="uploads.stopAll()"
      >
        Stop all
      </button>
    </h3>
    <ul class="flex flex-col gap-2">
      <li v-for="one in uploads.uploads" :key="one.id">
        <div class="flex gap-2">
          <span class="min-w-0 flex-1 truncate">{{ one.name }}</span>
          <span class="num text-dim">{{ Math.round(one.share * 100) }} %</span>
          <button
            class="text-dim"
            :aria-label="`Stop ${one.name}`"
            @click="one.problem ? uploads.dismiss(one.id) : one.stop()"
          >
            ×
          </button>
        </div>
        <p v-if="one.problem" class="text-rose">{{ one.problem }}</p>
        <div v-else class="mt-0.5 h-[3px] rounded bg-rule">
          <div class="h-full rounded bg-jade" :style="`width: ${one.share * 100}%`" />
        </div>
      </li>
    </ul>
  </div>

  <div v-if="watched" class="section" data-test="watched">
    <div class="flex items-start gap-2">
      <p class="min-w-0 flex-1 text-dim">
        {{ watched.there ? 'Watching' : 'Waiting for' }}
        <b class="num font-medium break-all text-ink" :title="watched.path">{{ folderName }}</b>:
        {{
          watched.there
            ? 'frames appear as they are written.'
            : 'the folder is not there. What was added stays.'
        }}
      </p>
      <button class="button shrink-0" data-test="unwatch" @click="store.unwatch()">Stop</button>
    </div>
  </div>

  <p v-if="waiting" class="mb-2 text-[12px] text-faint" data-test="waiting">
    Measuring {{ waiting }} frame{{ waiting > 1 ? 's' : '' }} …
  </p>

  <ChosenFrames />
  <ProposedSets />
  <div v-if="doubts.length" class="section" data-test="doubts">
    <h3 class="flex items-baseline gap-2">
      Better left out?
      <button
        v-if="doubts.length > 1"
        class="ml-auto text-[12px] font-normal text-jade"
        @click="
          store.leaveOut(
            doubts.map((d) => d.one.id),
            true,
          )
        "
      >
        Leave out all {{ doubts.length }}
      </button>
    </h3>
    <ul class="flex flex-col gap-2.5">
      <li v-for="{ one, reason } in doubts" :key="one.id">
        <p class="text-dim">
          <button class="num text-ink underline decoration-rule" @click="look(one.id)">
            {{ one.name }}
          </button>
          {{ reason }}
        </p>
        <div class="mt-1 grid grid-cols-2 gap-1.5">
          <button
            class="button"
            :aria-label="`Leave out ${one.name}`"
            @click="store.leaveOut([one.id], true)"
          >
            Leave out
          </button>
          <button class="button" :aria-label="`Keep ${one.name}`" @click="store.keep(one.id)">
            Keep
          </button>
        </div>
      </li>
    </ul>
  </div>

  <div v-if="store.shoot!.checks.length" class="section" data-test="checks">
    <h3>Before stacking</h3>
    <ul class="flex flex-col gap-2.5">
      <li v-for="check in store.shoot!.checks" :key="check.text">
        <p class="text-dim">{{ check.text }}</p>
        <div v-if="check.frame_ids.length" class="mt-1 grid grid-cols-2 gap-1.5">
          <button class="button" @click="look(check.frame_ids[0]!)">
            {{ check.frame_ids.length === 1 ? 'Look at it' : 'Look at one' }}
          </button>
          <button
            v-if="check.leave_out"
            class="button"
            @click="store.leaveOut(check.frame_ids, true)"
          >
            Leave {{ check.frame_ids.length === 1 ? 'it' : `all ${check.frame_ids.length}` }} out
          </button>
          <button
            v-if="check.balance"
            class="button"
            data-test="one-balance"
            @click="store.balanceAlike()"
          >
            Balance all alike
          </button>
        </div>
      </li>
    </ul>
  </div>

  <SetList />

  <div v-if="store.unreadable.length" class="section" data-test="unreadable">
    <h3 class="text-rose">
      {{ store.unreadable.length }} file{{ store.unreadable.length > 1 ? 's' : '' }} cannot be read
    </h3>
    <ul class="flex flex-col gap-2">
      <li v-for="one in store.unreadable" :key="one.id" class="flex gap-2">
        <span class="min-w-0 flex-1 break-words text-dim">{{ one.problem }}</span>
        <button
          class="self-start text-dim"
          :aria-label="`Dismiss ${one.name}`"
          @click="dismiss(one.id)"
        >
          ×
        </button>
      </li>
    </ul>
  </div>

  <div v-if="frame" class="section" data-test="frame-facts">
    <h3 class="truncate" :title="frame.name">
      {{ frame.name }}
      <span v-if="frame.id === store.reference?.id" class="font-normal text-jade">
        · reference</span
      >
    </h3>
    <dl v-if="frame.facts" class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
      <template v-for="[label, value] in factRows(frame.facts)" :key="label">
        <dt class="text-dim">{{ label }}</dt>
        <dd class="num truncate text-right" :title="value">{{ value }}</dd>
      </template>
      <template v-if="frame.measures">
        <template
          v-for="[label, value] in measureRows(frame.measures, store.rules.judges_stars)"
          :key="label"
        >
          <dt class="text-dim">{{ label }}</dt>
          <dd class="num text-right">{{ value }}</dd>
        </template>
      </template>
      <dt class="text-dim">File</dt>
      <dd class="num text-right">
        {{ bytes(frame.bytes) }}{{ frame.linked ? ', stays in its folder' : '' }}
      </dd>
    </dl>
    <div class="mt-3 flex items-center gap-3">
      <span class="text-dim">Used as</span>
      <Segmented v-model="role" class="flex-1" label="Role" :options="roles" />
    </div>
    <div v-if="frame.role === 'light'" class="mt-3 grid grid-cols-2 gap-1.5">
      <button
        class="button"
        data-test="leave-out"
        @click="store.leaveOut([frame.id], !frame.left_out)"
      >
        {{ frame.left_out ? 'Take in' : 'Leave out' }}
      </button>
      <button
        v-if="store.rules.chooses_reference"
        class="button"
        data-test="make-reference"
        :disabled="frame.left_out || frame.id === store.shoot?.reference_id"
        @click="store.setReference(frame.id)"
      >
        Make reference
      </button>
      <button
        class="button"
        :disabled="!before.length"
        title="Leave out all frames of its set before this one"
        data-test="begin-here"
        @click="store.leaveOut(before, true)"
      >
        Begin here
      </button>
      <button
        class="button"
        :disabled="!after.length"
        title="Leave out all frames of its set after this one"
        data-test="end-here"
        @click="store.leaveOut(after, true)"
      >
        End here
      </button>
    </div>
  </div>

  <FolderSheet :open="browsing" @close="browsing = false" />
</template>
