/** Runs before anything is drawn, so that the chosen theme does not flash. */
export const THEME_SCRIPT = `try{var t=localStorage.getItem("theme")||(matchMedia("(prefers-color-scheme: dark)").matches?"loam":"paper");document.documentElement.dataset.theme=t}catch(e){}`;
