import Aura from '@primeuix/themes/aura'
import { definePreset } from '@primeuix/themes'

/**
 * Our own palette on PrimeVue's components: daylight paper, verdigris as the one accent, iron oxide as the one warning.
 */
export const theme = definePreset(Aura, {
  primitive: {
    borderRadius: { none: '0', xs: '2px', sm: '3px', md: '4px', lg: '5px', xl: '6px' },
    verdigris: {
      50: '#eef6f4',
      100: '#dcebe7',
      200: '#b9d8d1',
      300: '#8dbfb5',
      400: '#5a9f93',
      500: '#2b7a6f',
      600: '#256b61',
      700: '#1f5a52',
      800: '#1a4a43',
      900: '#163c37',
      950: '#0d2723',
    },
  },
  semantic: {
    primary: {
      50: '{verdigris.50}',
      100: '{verdigris.100}',
      200: '{verdigris.200}',
      300: '{verdigris.300}',
      400: '{verdigris.400}',
      500: '{verdigris.500}',
      600: '{verdigris.600}',
      700: '{verdigris.700}',
      800: '{verdigris.800}',
      900: '{verdigris.900}',
      950: '{verdigris.950}',
    },
    transitionDuration: '0.1s',
    focusRing: { width: '2px', style: 'solid', color: '{primary.color}', offset: '1px' },
    formField: {
      paddingX: '0.5rem',
      paddingY: '0.28rem',
      sm: { fontSize: '12.5px', paddingX: '0.45rem', paddingY: '0.2rem' },
      borderRadius: '4px',
    },
    list: { option: { padding: '0.32rem 0.6rem' } },
    colorScheme: {
      light: {
        surface: {
          0: '#ffffff',
          50: '#fbfbfa',
          100: '#f3f3f1',
          200: '#e6e6e3',
          300: '#dcdcd8',
          400: '#b9bab5',
          500: '#8b8f92',
          600: '#5d6267',
          700: '#41464b',
          800: '#2d3136',
          900: '#22262a',
          950: '#14171a',
        },
        primary: {
          color: '{verdigris.500}',
          hoverColor: '{verdigris.600}',
          activeColor: '{verdigris.700}',
          contrastColor: '#ffffff',
        },
        highlight: { background: '#dcebe7', focusBackground: '#cfe4de', color: '#17433c', focusColor: '#17433c' },
        formField: { borderColor: '#c9cac5', hoverBorderColor: '#8b8f92', color: '#22262a' },
        text: { color: '#22262a', mutedColor: '#5d6267' },
      },
      dark: {
        surface: {
          0: '#ffffff',
          50: '#f3f3f1',
          100: '#e3e4e2',
          200: '#c9cbca',
          300: '#aeb1b2',
          400: '#8f9395',
          500: '#6c7176',
          600: '#53585c',
          700: '#41464a',
          800: '#35383b',
          900: '#2b2d2f',
          950: '#232527',
        },
        primary: {
          color: '{verdigris.300}',
          hoverColor: '{verdigris.200}',
          activeColor: '{verdigris.100}',
          contrastColor: '#14201d',
        },
        highlight: { background: '#31504a', focusBackground: '#37594f', color: '#e4f2ee', focusColor: '#e4f2ee' },
      },
    },
  },
  components: {
    slider: {
      track: { size: '3px', borderRadius: '2px' },
      handle: { width: '13px', height: '13px', content: { width: '9px', height: '9px' } },
    },
    tooltip: { root: { maxWidth: '260px', padding: '0.35rem 0.55rem' } },
    toggleswitch: { root: { width: '30px', height: '17px' }, handle: { size: '11px' } },
    button: { root: { sm: { fontSize: '12.5px', paddingX: '0.6rem', paddingY: '0.28rem' } } },
    dialog: {
      header: { padding: '0.9rem 1.1rem' },
      content: { padding: '0 1.1rem 1.1rem' },
      title: { fontSize: '15px' },
    },
  },
})
