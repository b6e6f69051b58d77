import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwind()],
  // Fonts stay files of their own: what stands in an address isn't ours by the content policy.
  build: { chunkSizeWarningLimit: 900, assetsInlineLimit: 0 },
  server: { proxy: { '/api': process.env['GOLDEN_SERVER'] ?? 'http://127.0.0.1:4600' } },
});
