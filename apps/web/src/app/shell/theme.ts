import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

/** PrimeNG tokens in Rule's own theme. */
const ink = {
  0: '#ffffff',
  50: '#fbfaf6',
  100: '#f7f5f0',
  200: '#ece8de',
  300: '#d9d4c8',
  400: '#a7a295',
  500: '#64676a',
  600: '#566069',
  700: '#3a4651',
  800: '#27323e',
  900: '#1c2733',
  950: '#10161c',
};
const slate = {
  0: '#ffffff',
  50: '#e7e3da',
  100: '#d2cfc8',
  200: '#b9bcbc',
  300: '#a9b2b8',
  400: '#8e989f',
  500: '#66727c',
  600: '#4a5764',
  700: '#364250',
  800: '#28323d',
  900: '#1c242d',
  950: '#151b22',
};

export const RuleTheme = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '2px', sm: '3px', md: '4px', lg: '5px', xl: '6px' } },
  semantic: {
    transitionDuration: '140ms',
    focusRing: { width: '2px', style: 'solid', color: '{primary.color}', offset: '1px' },
    primary: {
      50: '#eef6f4',
      100: '#d6e9e5',
      200: '#aed3cc',
      300: '#85bdb3',
      400: '#5cbcae',
      500: '#2d8a7f',
      600: '#1f6f66',
      700: '#195b54',
      800: '#144842',
      900: '#0f3632',
      950: '#08211f',
    },
    formField: { paddingX: '9px', paddingY: '5px', borderRadius: '{border.radius.md}' },
    colorScheme: {
      light: {
        surface: ink,
        primary: { color: '#1f6f66', contrastColor: '#ffffff', hoverColor: '#195b54', activeColor: '#144842' },
        text: { color: '#1c2733', mutedColor: '#566069' },
      },
      dark: {
        surface: slate,
        primary: { color: '#5cbcae', contrastColor: '#10161c', hoverColor: '#85bdb3', activeColor: '#aed3cc' },
        text: { color: '#e7e3da', mutedColor: '#a9b2b8' },
      },
    },
  },
  components: {
    button: {
      root: { paddingX: '13px', paddingY: '4px', gap: '6px', label: { fontWeight: '600' } },
      colorScheme: {
        light: {
          root: {
            secondary: {
              background: '#ffffff',
              hoverBackground: '#f7f5f0',
              activeBackground: '#ece8de',
              borderColor: '#1c2733',
              hoverBorderColor: '#1c2733',
              activeBorderColor: '#1c2733',
              color: '#1c2733',
              hoverColor: '#1c2733',
              activeColor: '#1c2733',
            },
          },
        },
        dark: {
          root: {
            secondary: {
              background: '#1c242d',
              hoverBackground: '#28323d',
              activeBackground: '#364250',
              borderColor: '#8e989f',
              hoverBorderColor: '#a9b2b8',
              activeBorderColor: '#a9b2b8',
              color: '#e7e3da',
              hoverColor: '#e7e3da',
              activeColor: '#e7e3da',
            },
          },
        },
      },
    },
    toast: {
      colorScheme: {
        light: {
          success: { background: '#e3efec', borderColor: '#1f6f66', color: '#1c2733', shadow: '0 6px 20px rgba(28, 39, 51, 0.18)' },
          error: { background: '#fbe9e4', borderColor: '#b8361e', color: '#1c2733', shadow: '0 6px 20px rgba(28, 39, 51, 0.18)' },
        },
        dark: {
          success: { background: '#1d3a39', borderColor: '#5cbcae', color: '#e7e3da', shadow: '0 6px 20px rgba(0, 0, 0, 0.5)' },
          error: { background: '#43241f', borderColor: '#f0806a', color: '#e7e3da', shadow: '0 6px 20px rgba(0, 0, 0, 0.5)' },
        },
      },
    },
    checkbox: { root: { width: '14px', height: '14px' }, icon: { size: '10px' } },
    radiobutton: { root: { width: '14px', height: '14px' }, icon: { size: '6px' } },
    dialog: { title: { fontSize: '17px', fontWeight: '600' } },
  },
});
