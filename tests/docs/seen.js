// What can be seen of a page: how wide it is, whether it is the dark one, and the least contrast of its words (WCAG 2.2, 1.4.3).
window.onload = () => {
  const parts = (colour) => (colour.match(/[\d.]+/g) || []).map(Number);
  const linear = (part) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4);
  const light = (colour) => {
    const [red, green, blue] = parts(colour).map((part) => linear(part / 255));
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue;
  };
  const behind = (element) => {
    for (; element; element = element.parentElement) {
      const colour = getComputedStyle(element).backgroundColor;
      if (parts(colour)[3] !== 0) return colour;
    }
    return "rgb(255, 255, 255)";
  };
  let contrast = 21;
  for (const element of document.querySelectorAll("body *")) {
    if (![...element.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim())) continue;
    if (["SCRIPT", "STYLE"].includes(element.tagName)) continue;
    const both = [light(getComputedStyle(element).color), light(behind(element))].sort((one, two) => two - one);
    contrast = Math.min(contrast, (both[0] + 0.05) / (both[1] + 0.05));
  }
  const dark = matchMedia("(prefers-color-scheme: dark)").matches;
  const menu = document.querySelector("header .menu").offsetWidth > 0;
  const wide = document.documentElement.scrollWidth;
  document.title = JSON.stringify({ wide, window: innerWidth, contrast, dark, menu });
};
