/** What is shown at once while a list is asked for: pages that may not be there wait for their answer, as they have its status. */
export default function Loading() {
  return (
    <p className="faint" role="status">
      Asking the store…
    </p>
  );
}
