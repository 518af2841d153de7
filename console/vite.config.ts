import { fileURLToPath } from 'node:url'
import tailwindcss from '@tailwindcss/vite'
import react from '@vitejs/plugin-react'
import { defineConfig } from 'vitest/config'

const here = (path: string) => fileURLToPath(new URL(path, import.meta.url))

export default defineConfig({
  plugins: [react(), tailwindcss()],
  resolve: {
    alias: {
      // Writes <style> elements otherwise, which the content security policy forbids.
      'react-style-singleton': here('src/shims/style-singleton.ts'),
    },
  },
  build: { assetsInlineLimit: 0, modulePreload: { polyfill: false }, chunkSizeWarningLimit: 700 },
  test: {
    environment: 'jsdom',
    // A reader's clock that is not the service's, and changes with the season.
    env: { TZ: 'Europe/Oslo' },
    restoreMocks: true,
    // For a machine that does much else; what is waited for comes long before.
    testTimeout: 60_000,
    unstubGlobals: true,
  },
})
