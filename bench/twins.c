/* The loops of kernels/filter.py, grit.py, wave.py, readers.py and noise.py, line for line, for comparison of speed. */
#include <math.h>
#include <stdint.h>
#include <string.h>

#define TICK 64
#define HISTORY 32
#define SIDES 16
#define MIDDLE 8

void filter(int64_t times, float *x, const double *c, double *s) {
    for (int64_t r = 0; r < times; r++) {
        double a = c[0], b = c[1], g = c[2], m0 = c[3], m1 = c[4], m2 = c[5];
        double s1 = s[0], s2 = s[1], r1 = s[2], r2 = s[3];
        for (int i = 0; i < TICK; i++) {
            double value = x[2 * i], beside = x[2 * i + 1];
            double rest = value - s2, over = beside - r2;
            double v1 = a * s1 + b * rest, w1 = a * r1 + b * over;
            double v2 = s2 + b * s1 + g * rest, w2 = r2 + b * r1 + g * over;
            s1 = 2 * v1 - s1, r1 = 2 * w1 - r1, s2 = 2 * v2 - s2, r2 = 2 * w2 - r2;
            x[2 * i + 1] = (float)(m0 * beside + m1 * w1 + m2 * w2);
            x[2 * i] = (float)(m0 * value + m1 * v1 + m2 * v2);
        }
        s[0] = fabs(s1) > 1e-15 ? s1 : 0, s[1] = fabs(s2) > 1e-15 ? s2 : 0;
        s[2] = fabs(r1) > 1e-15 ? r1 : 0, s[3] = fabs(r2) > 1e-15 ? r2 : 0;
    }
}

static inline float curve(float x, float hard) {
    float y = fminf(fmaxf(x, -3.0f), 3.0f), q = y * y;
    float soft = y * (27.0f + q) / (27.0f + 9.0f * q);
    return soft + hard * (fminf(fmaxf(x, -1.0f), 1.0f) - soft);
}

static void taps(float *out, const float *line, const float *side) {
    for (int i = 0; i < TICK; i++) out[i] = 0.0f;
    for (int t = 0; t < SIDES; t++)
        for (int i = 0; i < TICK; i++) out[i] += side[t] * line[HISTORY + i - t];
}

void saturate(int64_t times, float *x, float *memory, float *scratch, const float *side, float g, float h, float o) {
    float *up = memory, *odds = memory + HISTORY, *evens = memory + 2 * HISTORY;
    float *line = scratch, *odd = line + HISTORY + TICK, *even = odd + HISTORY + TICK, *mid = even + HISTORY + TICK;
    for (int64_t r = 0; r < times; r++) {
        float base = curve(o, h);
        float level = 1.0f / fmaxf(curve(g + o, h) - base, base - curve(o - g, h));
        memcpy(line, up, sizeof(float) * HISTORY);
        memcpy(odd, odds, sizeof(float) * HISTORY);
        memcpy(even, evens, sizeof(float) * HISTORY);
        for (int i = 0; i < TICK; i++) line[HISTORY + i] = x[i];
        taps(mid, line, side);
        for (int i = 0; i < TICK; i++) even[HISTORY + i] = (curve(2 * mid[i] * g + o, h) - base) * level;
        for (int i = 0; i < TICK; i++) odd[HISTORY + i] = (curve(line[HISTORY + i - MIDDLE + 1] * g + o, h) - base) * level;
        taps(mid, even, side);
        for (int i = 0; i < TICK; i++) x[i] = mid[i] + 0.5f * odd[HISTORY + i - MIDDLE];
        memcpy(up, line + TICK, sizeof(float) * HISTORY);
        memcpy(odds, odd + TICK, sizeof(float) * HISTORY);
        memcpy(evens, even + TICK, sizeof(float) * HISTORY);
    }
}

void wave(int64_t times, float *into, const float *audio, const double *phases, double late, double later,
          double size, double frame, double moved, int64_t frames, int64_t stride, float *w, int32_t *index,
          float *shares) {
    for (int64_t r = 0; r < times; r++) {
        double move = (later - late) / TICK;
        for (int i = 0; i < TICK; i++) {
            double phase = phases[i] - late - move * (i + 1.0);
            double place = (phase - floor(phase)) * size;
            int32_t whole = (int32_t)place;
            float t = (float)(place - whole), u = 1.0f - t;
            float a = u * u * u / 6.0f, d = t * t * t / 6.0f, b = ((3.0f * t - 6.0f) * t * t + 4.0f) / 6.0f;
            index[i] = whole;
            w[i] = a, w[64 + i] = b, w[128 + i] = 1.0f - a - b - d, w[192 + i] = d;
        }
        float step = (float)((moved - frame) / TICK), last = (float)(frames - 2);
        for (int i = 0; i < TICK; i++) {
            float at = (float)frame + step * (i + 1.0f);
            int32_t below = (int32_t)(at < last ? at : last);
            index[i] += below * (int32_t)stride;
            shares[i] = at - (float)below;
        }
        for (int i = 0; i < TICK; i++) {
            const float *s = audio + index[i], *o = s + stride;
            float near = w[i] * s[0] + w[64 + i] * s[1] + w[128 + i] * s[2] + w[192 + i] * s[3];
            float far = w[i] * o[0] + w[64 + i] * o[1] + w[128 + i] * o[2] + w[192 + i] * o[3];
            into[i] += near + shares[i] * (far - near);
        }
    }
}

static inline void taps_of(float *w, int i, float t, float gain) {
    float u = 1.0f - t, a = u * u * u / 6.0f, d = t * t * t / 6.0f, b = ((3.0f * t - 6.0f) * t * t + 4.0f) / 6.0f;
    w[i] = gain * a, w[64 + i] = gain * b, w[128 + i] = gain * (1.0f - a - b - d), w[192 + i] = gain * d;
}

static void stereo(float *out, const float *audio, const float *w, const int32_t *index) {
    for (int i = 0; i < TICK; i++) {
        const float *s = audio + 2 * (index[i] - 1);
        out[2 * i] += w[i] * s[0] + w[64 + i] * s[2] + w[128 + i] * s[4] + w[192 + i] * s[6];
        out[2 * i + 1] += w[i] * s[1] + w[64 + i] * s[3] + w[128 + i] * s[5] + w[192 + i] * s[7];
    }
}

static inline float taper(float x) {
    float u = 2.0f * x - 1.0f, q = u * u;
    return 0.5f + 0.5f * u * (1.5707963f + q * (-0.6459640f + q * (0.0796926f + q * (-0.0046817f + q * 0.00016044f))));
}

void reader(int64_t times, float *out, const float *audio, double place, double step, double top, double gain,
            double slope, const double *shift, double away, double scale, float *w, int32_t *index) {
    float from = (float)gain, rise = (float)slope, all = (float)scale;
    for (int64_t r = 0; r < times; r++) {
        for (int i = 0; i < TICK; i++) {
            double p = fmin(fmax(place + i * step + shift[i] * away, 0.0), top);
            int32_t whole = (int32_t)p;
            index[i] = whole;
            float level = sqrtf(fmaxf(taper(fminf(fmaxf(from + (float)i * rise, 0.0f), 1.0f)), 0.0f));
            taps_of(w, i, (float)(p - whole), level * all);
        }
        stereo(out, audio, w, index);
        place += 1e-3;
    }
}

void noise(int64_t times, float *out, const float *audio, double place, double step, const double *shift, double reach,
           double rate, double frames, float width, float *w, int32_t *index) {
    for (int64_t r = 0; r < times; r++) {
        for (int i = 0; i < TICK; i++) {
            double p = (place + i * step + shift[i] * reach) * rate;
            p -= frames * floor(p / frames);
            int32_t whole = (int32_t)p;
            index[i] = whole;
            taps_of(w, i, (float)(p - whole), 1.0f);
        }
        memset(out, 0, 2 * TICK * sizeof(float));
        stereo(out, audio, w, index);
        float both = 0.5f - 0.5f * width, one = 1.0f - both, level = 1.0f / sqrtf(one * one + both * both);
        for (int i = 0; i < TICK; i++) {
            float left = out[2 * i], right = out[2 * i + 1];
            out[2 * i] = level * (one * left + both * right);
            out[2 * i + 1] = level * (one * right + both * left);
        }
        place += 1e-6;
    }
}

/* The routes of kernels/routing.py: of one voice, over and over. */
typedef struct {
    int64_t source, by;
    double by_scale, by_offset;
    int64_t layer, target, depth, amount;
    double scale, offset;
    int64_t mirrored, clamped, curve;
    double size, base, rise, fall;
} Move;
typedef struct { int64_t index; double low, high; int64_t log, instant; } Target;

static double source_of(int64_t s, const double *named, const double *played, const double *own, int64_t names,
                        int64_t first) {
    return s >= first ? own[s - first] : s >= names ? played[s - names] : named[s];
}

void routes(int64_t times, const int64_t *jobs, int64_t count, const Move *moves, const Target *targets,
            const double *named, const double *played, const double *own, double *memory, double *came,
            double *row, const double *base, double *sums, const double *residue,
            const double *curves, int64_t steps, int64_t names, int64_t first) {
    for (int64_t r = 0; r < times; r++)
        for (int64_t j = 0; j < count; j++) {
            int64_t i = jobs[2 * j + 1];
            if (jobs[2 * j] == 1) {
                const Target *t = targets + i;
                double added = sums[i] + residue[i], v = base[t->index];
                v = t->log ? v * exp2(added) : v + added;
                row[t->index] = fmin(fmax(v, t->low), t->high);
                sums[i] = 0.0;
                continue;
            }
            const Move *m = moves + i;
            double v = m->scale * source_of(m->source, named, played, own, names, first) + m->offset;
            if (m->mirrored) v = fabs(v);
            if (m->clamped) v = fmin(fmax(v, 0.0), 1.0);
            if (m->curve >= 0) {
                const double *c = curves + m->curve * (steps + 1);
                double at = fmin(fmax(v, 0.0), 1.0) * steps;
                int64_t below = (int64_t)at < steps - 1 ? (int64_t)at : steps - 1;
                v = c[below] + (at - below) * (c[below + 1] - c[below]);
            }
            v = m->size * v + m->base;
            if (!targets[m->target].instant) {
                double away = v - memory[i];
                v = memory[i] + away * (away > 0.0 ? m->rise : m->fall);
            }
            memory[i] = v;
            if (m->by >= 0) {
                double by = source_of(m->by, named, played, own, names, first) * m->by_scale + m->by_offset;
                v *= fmin(fmax(by, 0.0), 1.0);
            }
            v *= row[m->depth] * (0.01 * row[m->amount]);
            came[i] = v;
            sums[m->target] += v;
        }
}
