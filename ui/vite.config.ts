import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { promisify } from "node:util";
import { brotliCompress, gzip } from "node:zlib";
import vue from "@vitejs/plugin-vue";
import { defineConfig, type Plugin } from "vite";

/** Bytes under which compressing a file saves nothing worth a second file. */
const SMALL = 1024;

/** Lays a compressed form beside every text that was built: the server hands it out as it is. */
function compressed(): Plugin {
  let dir = "";
  return {
    name: "compressed",
    apply: "build",
    configResolved: (config) => void (dir = join(config.root, config.build.outDir)),
    async closeBundle() {
      const names = await readdir(dir, { recursive: true });
      const texts = names.filter((n) => /\.(js|css|html|svg)$/.test(n));
      await Promise.all(
        texts.map(async (name) => {
          const text = await readFile(join(dir, name));
          if (text.length < SMALL) return;
          await writeFile(join(dir, `${name}.br`), await promisify(brotliCompress)(text));
          await writeFile(join(dir, `${name}.gz`), await promisify(gzip)(text, { level: 9 }));
        }),
      );
    },
  };
}

export default defineConfig({
  plugins: [vue(), compressed()],
  build: {
    target: "es2022",
    chunkSizeWarningLimit: 1500,
    // What several views need comes as one file: a browser has six connections to a host.
    rolldownOptions: { output: { codeSplitting: { groups: [{ name: "shared", minShareCount: 2 }] } } },
  },
  worker: { format: "es" },
  server: { proxy: { "/api": "http://127.0.0.1:8080" } },
});
