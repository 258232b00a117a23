import type { NextConfig } from "next";

/** The path that the application is under, such as /sieve; it is built for it. */
const under = process.env["SIEVE_PATH"] ?? "";

const config: NextConfig = {
  poweredByHeader: false,
  reactStrictMode: true,
  // There are no pictures to be made smaller, and nobody is to have the server do it.
  images: { unoptimized: true },
  serverExternalPackages: ["pg", "pg-copy-streams", "graphile-worker", "pino"],
  // Types are checked by `npm run types`, once for all.
  typescript: { ignoreBuildErrors: true },
  distDir: process.env["SIEVE_BUILT"] ?? ".next",
  env: { NEXT_PUBLIC_SIEVE_PATH: under },
  ...(under === "" ? {} : { basePath: under }),
  // Nothing reads maps of the server's code, and few build twice: a fifth of the time and nine tenths of the space.
  experimental: {
    turbopackSourceMaps: false,
    turbopackFileSystemCacheForBuild: false,
    turbopackMinify: process.env["SIEVE_READABLE"] !== "1",
  },
};

export default config;
