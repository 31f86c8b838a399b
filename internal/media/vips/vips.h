#include <stdlib.h>
#include <vips/vips.h>

typedef struct {
	int w, h, bands;
	void *data;
} nelko_pixels;

int nelko_init(int threads);
const char *nelko_loader(const char *path);
int nelko_metadata(const char *path, const char *name, void **data, size_t *length);
int nelko_header(const char *path, int *w, int *h, int *orientation, char *taken, char *offset, char *camera, int n);
int nelko_load(const char *path, int w, int h, nelko_pixels *out);
int nelko_load_buffer(void *data, size_t n, int w, int h, int cover, nelko_pixels *out);
int nelko_resize(void *pix, int w, int h, int bands, int to_w, int to_h, nelko_pixels *out);
int nelko_jpeg(void *pix, int w, int h, int bands, int quality, void **buf, size_t *n);
