/* The grain loop of kernels/grain.py, line for line, for comparison of speed. */
#include <math.h>
#include <stdint.h>

static inline float taper(float x) {
    float u = 2.0f * x - 1.0f, q = u * u;
    float s = u * (1.5707963f + q * (-0.6459640f + q * (0.0796926f + q * (-0.0046817f + q * 0.00016044f))));
    return 0.5f + 0.5f * s;
}

void add_grain(float *out, const float *audio, int64_t base, int64_t last, int64_t begin, int64_t end,
               double place, double step, double age, double length, double taper_length, double left,
               double right, float *weights, int32_t *index) {
    int64_t frames = end - begin;
    float inverse = (float)(1.0 / taper_length), in = (float)age, left_over = (float)(length - age);
    float *w0 = weights, *w1 = weights + 64, *w2 = weights + 128, *w3 = weights + 192;
    for (int64_t i = 0; i < frames; i++) {
        double p = fmin(fmax(place + i * step, 0.0), (double)last);
        int32_t whole = (int32_t)p;
        float t = (float)(p - whole), u = 1.0f - t, n = (float)i;
        float x = fminf(fminf((in + n) * inverse, (left_over - n) * inverse), 1.0f);
        float window = taper(fmaxf(x, 0.0f));
        float a = u * u * u / 6.0f, d = t * t * t / 6.0f;
        float b = ((3.0f * t - 6.0f) * t * t + 4.0f) / 6.0f;
        index[i] = whole;
        w0[i] = window * a;
        w1[i] = window * b;
        w2[i] = window * (1.0f - a - b - d);
        w3[i] = window * d;
    }
    float gl = (float)left, gr = (float)right;
    for (int64_t i = 0; i < frames; i++) {
        const float *s = audio + 2 * (base - 1 + index[i]);
        float *o = out + 2 * (begin + i);
        o[0] += gl * (w0[i] * s[0] + w1[i] * s[2] + w2[i] * s[4] + w3[i] * s[6]);
        o[1] += gr * (w0[i] * s[1] + w1[i] * s[3] + w2[i] * s[5] + w3[i] * s[7]);
    }
}

void many(int64_t count, float *out, const float *audio, const double *places, double step, float *weights,
          int32_t *index) {
    for (int64_t r = 0; r < count; r++)
        add_grain(out, audio, 4, 768000, 0, 64, places[r], step, 100.0, 6720.0, 3360.0, 0.5, 0.6, weights, index);
}
