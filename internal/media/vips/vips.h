#include <stdlib.h>
#include <vips/vips.h>

typedef struct {
	int w, h, bands;
	int early; /* the data ended before the picture did */
	void *data;
} nelko_pixels;

int nelko_init(int threads);
const char *nelko_loader(const char *path);
int nelko_metadata(const char *path, const char *name, void **data, size_t *length);
typedef struct {
	int w, h, orientation, bands, bytes, whole;
	char taken[256], offset[256], camera[256], sampling[16];
} nelko_head;

int nelko_header(const char *path, nelko_head *head);
int nelko_load(const char *path, int w, int h, nelko_pixels *out);
int nelko_load_buffer(void *data, size_t n, int w, int h, int cover, nelko_pixels *out);
int nelko_resize(void *pix, int w, int h, int bands, int to_w, int to_h, nelko_pixels *out);
int nelko_jpeg(void *pix, int w, int h, int bands, int quality, void **buf, size_t *n);
