import type { GlobalThemeOverrides } from 'naive-ui';
import { computed, ref, watchEffect } from 'vue';

const system = matchMedia('(prefers-color-scheme: dark)');
const chosen = localStorage.getItem('causalis-theme');
const dark = ref(chosen ? chosen === 'dark' : system.matches);
system.addEventListener('change', ({ matches }) => {
  if (!localStorage.getItem('causalis-theme')) dark.value = matches;
});
watchEffect(() => {
  document.documentElement.dataset.theme = dark.value ? 'dark' : 'light';
});

/** The colours of `look.css`, as the component library wants them. */
const overrides = computed<GlobalThemeOverrides>(() => {
  const [thread, ink, ground, line] = dark.value
    ? ['#6FBFA8', '#E4E8E3', '#171D1A', '#2A322E']
    : ['#2C6E5D', '#1D2420', '#FDFCF9', '#DDD8CC'];
  return {
    common: {
      primaryColor: thread,
      primaryColorHover: thread,
      primaryColorPressed: thread,
      primaryColorSuppl: thread,
      textColorBase: ink,
      textColor2: ink,
      bodyColor: ground,
      inputColor: ground,
      popoverColor: ground,
      borderColor: line,
      dividerColor: line,
      fontFamily: "'Inter Variable', sans-serif",
      fontSize: '1rem',
      borderRadius: '4px',
    },
    Button: {
      textColorPrimary: dark.value ? '#111614' : '#FDFCF9',
      textColorHoverPrimary: dark.value ? '#111614' : '#FDFCF9',
      textColorPressedPrimary: dark.value ? '#111614' : '#FDFCF9',
      textColorFocusPrimary: dark.value ? '#111614' : '#FDFCF9',
    },
  };
});

/** Light or dark: as the system says, until somebody chooses. */
export function useTheme() {
  return {
    dark,
    overrides,
    toggle: () => {
      dark.value = !dark.value;
      localStorage.setItem('causalis-theme', dark.value ? 'dark' : 'light');
    },
  };
}
