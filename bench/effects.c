/* The loops of some effects as C would have them: one stream of frames, settings that stand still. */
#include <math.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>

#define TICK 64
#define PI 3.14159265358979323846
#define DB 8.685889638065037

static double over(double level, double threshold, double knee) {
    double above = level - threshold;
    if (2.0 * above <= -knee) return 0.0;
    if (2.0 * above < knee) return (above + 0.5 * knee) * (above + 0.5 * knee) / (2.0 * knee);
    return above;
}

/* Threshold, slope, knee and gain in dB; shares of attack and release a frame. */
void compressor(int64_t frames, float *x, const double *set) {
    double held = 0.0, taken = 0.0;
    for (int64_t i = 0; i < 2 * frames; i += 2) {
        double a = fabs(x[i]), b = fabs(x[i + 1]), level = DB * log(fmax(fmax(a, b), 1e-6));
        double wanted = set[1] * over(level, set[0], set[2]);
        held = fmax(wanted, held + set[5] * (wanted - held));
        taken += set[4] * (held - taken);
        float gain = (float)exp((set[3] - taken) / DB);
        x[i] *= gain;
        x[i + 1] *= gain;
    }
}

static void section(double x, double g, double *s, double *low, double *high) {
    double damp = 1.4142135623730951;
    double h = (x - (damp + g) * s[0] - s[1]) / (1.0 + g * (g + damp)), b = g * h + s[0];
    s[0] = g * h + b;
    *low = g * b + s[1];
    s[1] = g * b + *low;
    *high = h;
}

static void split(double x, double lower, double upper, double s[7][2], double *out) {
    double below, above, low, rest, unused;
    section(x, lower, s[0], &below, &above);
    section(below, lower, s[1], &low, &unused);
    section(above, lower, s[2], &unused, &rest);
    section(rest, upper, s[3], &below, &above);
    section(below, upper, s[4], &out[1], &unused);
    section(above, upper, s[5], &unused, &out[2]);
    section(low, upper, s[6], &below, &above);
    out[0] = 2.0 * (below + above) - low;
}

/* Two splits; attack, release; then threshold, slope and floor of each band. */
void bands(int64_t frames, float *x, const double *set) {
    double state[2][7][2] = {{{0}}}, square[3] = {0}, change[3] = {0};
    double share = 1.0 - exp(-1.0 / 480.0), mix = 0.5;
    for (int64_t i = 0; i < 2 * frames; i += 2) {
        double parts[2][3], sums[2] = {0};
        for (int c = 0; c < 2; c++) split(x[i + c], set[0], set[1], state[c], parts[c]);
        for (int b = 0; b < 3; b++) {
            const double *of = set + 4 + 3 * b;
            double now = fmax(parts[0][b] * parts[0][b], parts[1][b] * parts[1][b]);
            square[b] += share * (now - square[b]);
            double level = 0.5 * DB * log(fmax(square[b], 1e-6));
            double lifted = level > -80.0 ? fmin(0.0, of[1] * over(-level, -of[2], 6.0)) : 0.0;
            double wanted = lifted - of[1] * over(level, of[0], 6.0);
            change[b] += (wanted < change[b] ? set[2] : set[3]) * (wanted - change[b]);
            for (int c = 0; c < 2; c++) sums[c] += parts[c][b] * (1.0 + mix * (exp(change[b] / DB) - 1.0));
        }
        x[i] = (float)sums[0];
        x[i + 1] = (float)sums[1];
    }
}

static double cubic(const float *ring, int64_t mask, int64_t at, double frames) {
    double whole = floor(frames), x = frames - whole;
    int64_t first = at - (int64_t)whole;
    double newer = ring[(first + 1) & mask], here = ring[first & mask];
    double older = ring[(first - 1) & mask], oldest = ring[(first - 2) & mask];
    double low = x + 1.0, high = x - 1.0, far = x - 2.0;
    return -newer * (x * high * far) / 6.0 + here * (low * high * far) / 2.0 - older * (low * x * far) / 2.0 +
           oldest * (low * x * high) / 6.0;
}

/* Delay in frames; feedback; mix; shares of the low and the high cut a frame. */
void echo(int64_t frames, float *x, float *rings, int64_t size, const double *set) {
    double low[2] = {0}, high[2] = {0};
    for (int64_t i = 0; i < frames; i++)
        for (int c = 0; c < 2; c++) {
            float *ring = rings + c * size;
            double wet = cubic(ring, size - 1, i - 1, set[0] - 1.0), y = fabs(wet);
            double back = y < 1.0 ? wet : copysign(1.0 + tanh(y - 1.0), wet), dry = x[2 * i + c];
            low[c] += set[3] * (back - low[c]);
            high[c] += set[4] * (back - low[c] - high[c]);
            ring[i & (size - 1)] = (float)(dry + set[1] * high[c]);
            x[2 * i + c] = (float)(dry + set[2] * (wet - dry));
        }
}

/* Of each mode: how far it turns a frame, real and imaginary part, and its gains on both sides. */
void resonator(int64_t frames, float *x, int64_t modes, const double *turns, const double *gains, double mix) {
    double real[2][32] = {{0}}, imag[2][32] = {{0}};
    for (int64_t i = 0; i < frames; i++)
        for (int c = 0; c < 2; c++) {
            double fed = x[2 * i + c], total = 0.0;
            for (int64_t k = 0; k < modes; k++) {
                double a = real[c][k], b = imag[c][k];
                real[c][k] = turns[k] * a - turns[modes + k] * b + fed;
                imag[c][k] = turns[k] * b + turns[modes + k] * a;
                total += gains[c * modes + k] * real[c][k];
            }
            x[2 * i + c] = (float)(fed + mix * (total - fed));
        }
}

static const int PASSES[6] = {113, 199, 337, 547, 787, 1171};

/* Sixteen lines that sway, each with two shelves; all-passes and ten early reflections ahead of them. */
void room(int64_t frames, float *x, float *rings, int64_t size, const double *lengths, const double *shelves) {
    static float passes[2][6][2048], inputs[2][32768];
    static double states[16][2];
    float lines[16][TICK], sides[2][TICK], early[2][TICK], wet[2][TICK];
    for (int64_t at = 0; at < frames; at += TICK) {
        for (int c = 0; c < 2; c++) {
            for (int i = 0; i < TICK; i++) {
                inputs[c][(at + i) & 32767] = x[2 * (at + i) + c];
                sides[c][i] = inputs[c][(at + i - 576) & 32767];
                early[c][i] = 0.0f;
            }
            for (int tap = 1; tap <= 10; tap++)
                for (int i = 0; i < TICK; i++) {
                    int64_t first = at + i - 700 - 131 * tap;
                    float here = inputs[c][first & 32767], before = inputs[c][(first - 1) & 32767];
                    early[c][i] += 0.3f * (here + 0.4f * (before - here));
                }
            for (int number = 0; number < 6; number++)
                for (int i = 0; i < TICK; i++) {
                    float *ring = passes[c][number], late = ring[(at + i - PASSES[number]) & 2047];
                    float into = sides[c][i] - 0.6f * late;
                    ring[(at + i) & 2047] = into;
                    sides[c][i] = late + 0.6f * into;
                }
        }
        for (int k = 0; k < 16; k++) {
            const double *s = shelves + 7 * k;
            double from = lengths[k] + 3.0 * sin(0.001 * at + k), to = lengths[k] + 3.0 * sin(0.001 * (at + TICK) + k);
            for (int i = 0; i < TICK; i++) {
                double value = s[0] * cubic(rings + k * size, size - 1, at + i, from + (to - from) * (i + 1) / TICK);
                double between = s[1] * value + states[k][0];
                states[k][0] = s[2] * value - s[3] * between;
                double out = s[4] * between + states[k][1];
                states[k][1] = s[5] * between - s[6] * out;
                lines[k][i] = (float)out;
            }
        }
        for (int c = 0; c < 2; c++)
            for (int i = 0; i < TICK; i++) {
                wet[c][i] = 0.0f;
                for (int k = 0; k < 16; k++) wet[c][i] += ((k >> c) & 1 ? -0.25f : 0.25f) * lines[k][i];
            }
        for (int step = 1; step < 16; step *= 2)
            for (int first = 0; first < 16; first += 2 * step)
                for (int k = first; k < first + step; k++)
                    for (int i = 0; i < TICK; i++) {
                        float a = lines[k][i], b = lines[k + step][i];
                        lines[k][i] = a + b;
                        lines[k + step][i] = a - b;
                    }
        for (int k = 0; k < 16; k++)
            for (int i = 0; i < TICK; i++)
                rings[k * size + ((at + i) & (size - 1))] = 0.25f * lines[k][i] + 0.5f * sides[k % 2][i];
        for (int i = 0; i < TICK; i++)
            for (int c = 0; c < 2; c++) {
                float *to = x + 2 * (at + i) + c;
                *to += 0.3f * (wet[c][i] + early[c][i] - *to);
            }
    }
}
