<script setup lang="ts">
import { Images, Plus } from '@lucide/vue'
import { useQuery } from '@tanstack/vue-query'
import { onMounted, onUnmounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import { freshen, queries } from '../api/queries'
import type { Kind, ShootCard as Card } from '../api/types'
import { useNotices } from '../state/notices'
import NewShoot from './NewShoot.vue'
import ShootCard from './ShootCard.vue'

const notices = useNotices()
const router = useRouter()
const naming = ref(false)
const key = ['shoots'] as const
const { data: shoots, error } = useQuery(
  { queryKey: key, queryFn: api.shoots, shallow: true },
  queries,
)
const load = () => freshen(key)

async function add(name: string, kind: Kind) {
  try {
    const shoot = await api.addShoot({ name, kind })
    await router.push(`/shoots/${shoot.id}`)
  } catch (error) {
    notices.show(sentence(error), { problem: true })
  }
}

async function rename(card: Card, name: string) {
  const before = card.name
  try {
    await api.changeShoot(card.id, { name, was: { name: before } })
    notices.show(`Renamed “${before}” to “${name}”.`, {
      undo: async () => {
        await api.changeShoot(card.id, { name: before, was: { name } })
        await load()
      },
    })
  } catch (error) {
    notices.show(sentence(error), { problem: true })
  }
  await load()
}

async function remove(card: Card) {
  try {
    await api.removeShoot(card.id)
    notices.show(`Deleted “${card.name}”.`, {
      undo: async () => {
        await api.restoreShoot(card.id)
        await load()
      },
    })
  } catch (error) {
    notices.show(sentence(error), { problem: true })
  }
  await load()
}

let stop = () => {}
onMounted(() => {
  document.title = 'Jade Stack'
  stop = listen((event) => {
    if (event.type === 'shoot' || event.type === 'present') void load()
    // Progress itself does not show here, only beginning and end.
    if (event.type === 'job' && event.job.done === 0) void load()
  })
})
onUnmounted(() => stop())
</script>

<template>
  <main class="mx-auto flex h-full max-w-375 flex-col px-8">
    <header class="flex items-center gap-3 border-b border-rule py-5">
      <img src="/mark.svg" alt="" class="w-5" />
      <h1 class="text-head font-semibold">Jade Stack</h1>
      <p class="text-dim">Shoots</p>
      <button class="button button-go ml-auto flex items-center gap-1.5" @click="naming = true">
        <Plus :size="16" /> New shoot
      </button>
    </header>

    <p v-if="error" class="mt-8 text-rose">{{ sentence(error) }}</p>
    <div v-else-if="shoots?.length === 0" class="m-auto max-w-105 pb-24 text-center">
      <Images :size="40" class="mx-auto mb-4 text-faint" />
      <h2 class="mb-1 text-head font-semibold">No shoots yet</h2>
      <p class="mb-5 text-dim">
        A shoot holds all frames of one scene and everything made from them. Name one to begin, or
        start the program with <code class="num">demo</code> to find one that is ready.
      </p>
      <button class="button button-go" @click="naming = true">Name the first shoot</button>
    </div>
    <ul
      v-else
      class="grid auto-rows-max content-start gap-5 overflow-auto py-6"
      style="grid-template-columns: repeat(auto-fill, minmax(18rem, 1fr))"
      data-test="shoots"
    >
      <ShootCard
        v-for="card in shoots ?? []"
        :key="card.id"
        :card="card"
        @rename="(name) => rename(card, name)"
        @remove="remove(card)"
      />
    </ul>
    <NewShoot :open="naming" @close="naming = false" @add="add" />
  </main>
</template>
