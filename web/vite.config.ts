import tailwindcss from '@tailwindcss/vite'
import vue from '@vitejs/plugin-vue'
import { readdirSync, readFileSync } from 'node:fs'
import { defineConfig } from 'vitest/config'

const sources = readdirSync('src', { recursive: true, encoding: 'utf8' }).map(
  (file) => `src/${file}`,
)
const tests = sources.filter((file) => file.endsWith('.test.ts'))
// A file that replaces modules for its tests has the modules for itself. The others share them, since a
// window of its own takes a file longer than its tests.
const alone = tests.filter((file) => readFileSync(file, 'utf8').includes('vi.mock('))
const together = tests.filter((file) => !alone.includes(file))

export default defineConfig({
  plugins: [vue(), tailwindcss()],
  server: { proxy: { '/api': 'http://127.0.0.1:7420' } },
  build: {
    chunkSizeWarningLimit: 900,
    // The page takes fonts from its own server alone, so that none may be written into the style sheet.
    assetsInlineLimit: (file) => (file.endsWith('.woff2') ? false : undefined),
  },
  test: {
    environment: 'happy-dom',
    setupFiles: ['./vitest.setup.ts'],
    pool: 'threads',
    projects: [
      { extends: true, test: { name: 'alone', include: alone } },
      { extends: true, test: { name: 'together', include: together, isolate: false } },
    ],
  },
})
