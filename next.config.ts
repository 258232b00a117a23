import type { NextConfig } from "next";

const config: NextConfig = {
  poweredByHeader: false,
  reactStrictMode: true,
  serverExternalPackages: ["pg", "pg-copy-streams", "graphile-worker", "pino"],
};

export default config;
