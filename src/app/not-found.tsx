import { Link } from "@/ui/kit/link.tsx";

export default function NotFound() {
  return (
    <div className="py-10">
      <h1>There is nothing at this address</h1>
      <p className="my-2">
        The feed, load or record may have another number.{" "}
        <Link className="plain" href="/">
          Go to Today
        </Link>
      </p>
    </div>
  );
}
