import tailwind from '@tailwindcss/vite';
import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react(), tailwind()],
  build: { chunkSizeWarningLimit: 900 },
  server: { proxy: { '/api': process.env['GOLDEN_SERVER'] ?? 'http://127.0.0.1:4600' } },
});
