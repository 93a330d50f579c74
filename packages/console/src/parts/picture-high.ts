import { type ComputedRef, computed, type InjectionKey, inject } from 'vue';

/** What is drawn over a picture is drawn on a sheet this wide, whatever the picture's own size. */
export const pictureWide = 1_600;
/** How high the sheet is before the shape of the picture is known. */
const usualHigh = 900;

export const pictureHighKey: InjectionKey<ComputedRef<number>> = Symbol('how high the sheet over a picture is');

/** How high the sheet over the picture is here: it has the picture's own shape, so that nothing is stretched. */
export const usePictureHigh = (): ComputedRef<number> => inject(pictureHighKey, () => computed(() => usualHigh), true);

/** The height that belongs to a size in pixels. */
export const highFor = (size: { readonly width?: number; readonly height?: number } | undefined): number =>
  size?.width && size.height ? (pictureWide * size.height) / size.width : usualHigh;
