/** The nonce that style elements of this page carry. */
export const nonce = document.querySelector<HTMLMetaElement>('meta[name="nonce"]')?.content ?? "";
