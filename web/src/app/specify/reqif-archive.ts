/** What an archive may unpack to. */
const mostBytes = 120 * 1024 * 1024;

/** The first ReqIF document of an archive; nothing where there is none, or where it unpacks to far more than one has. */
export async function firstReqif(bytes: Uint8Array): Promise<string | undefined> {
  const { Unzip, UnzipInflate } = await import('fflate');
  const parts: Uint8Array[] = [];
  let total = 0;
  let taken = false;
  let broken = false;
  const unzip = new Unzip((file) => {
    if (taken || !/\.reqif$/i.test(file.name)) return;
    taken = true;
    file.ondata = (error, chunk) => {
      broken ||= error !== null;
      total += chunk?.length ?? 0;
      if (total <= mostBytes && chunk) parts.push(chunk);
    };
    file.start();
  });
  unzip.register(UnzipInflate);
  const step = 1 << 14;
  for (let at = 0; at < bytes.length && total <= mostBytes && !broken; at += step)
    unzip.push(bytes.subarray(at, at + step), at + step >= bytes.length);
  if (!taken || broken || total > mostBytes) return undefined;
  return new TextDecoder().decode(await new Blob(parts as BlobPart[]).arrayBuffer());
}
