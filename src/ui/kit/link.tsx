import NextLink from "next/link";
import type { ComponentProps } from "react";

/**
 * A link to a page of the application, which is asked for when somebody goes there. Asked for beforehand, as links that
 * are seen would be, every line of a list would have the server count once more all that its frame shows.
 */
export function Link(props: Omit<ComponentProps<typeof NextLink>, "prefetch">) {
  return <NextLink {...props} prefetch={false} />;
}
