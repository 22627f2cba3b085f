/* One block of the voices of an instrument: what Voices.render in voices.py does in NumPy, in one call.
 *
 * It is called through ctypes, so it needs nothing of Python's, and Python's lock is free meanwhile. Sines are turned
 * by complex multiplication; a bend or vibrato turns the turning (their angle is a square function of time).
 */
#include <math.h>
#include <stdint.h>
#include <string.h>

#define MOST_PARTIALS 32
#define MOST_FRAMES 8192
#define SPAN 512
#define LANES 4
#define TOGETHER 4
#define TWO_PI 6.283185307179586

typedef float lanes __attribute__((vector_size(4 * LANES))); /* GCC's and Clang's, on any processor */

static inline lanes spread(float value) { return (lanes){value, value, value, value}; }

typedef struct {
    int64_t partials;
    const int64_t *channel; /* of each slot */
    double *phase;          /* slots x partials, as the next five */
    const double *step;
    const double *level;
    const double *fall;
    const int64_t *start; /* of each slot, in samples */
    const int64_t *end;
    const double *fade;
    double attack;          /* in samples */
    const double *tuning0;  /* of each of 16 channels, at the beginning and at the end of the block */
    const double *tuning1;
    const double *weights0; /* 16 x partials */
    const double *weights1;
    const double *gain0;    /* 2 x 16 */
    const double *gain1;
} State;

/* Partials of steady pitch, four of them together: four samples at a time, each turned on by four steps; begun anew from
 * their exact place every SPAN samples, so that rounding stays far beneath what is heard. */
static void add_partials(float *tone, int64_t from, int64_t frames, const double *re, const double *im, const double *dre,
                         const double *dim, const double *amp, const double *change)
{
    lanes turn_re[TOGETHER], turn_im[TOGETHER], more[TOGETHER], x[TOGETHER], y[TOGETHER], a[TOGETHER];
    for (int p = 0; p < TOGETHER; p++) {
        const double re2 = dre[p] * dre[p] - dim[p] * dim[p], im2 = 2.0 * dre[p] * dim[p];
        turn_re[p] = spread((float)(re2 * re2 - im2 * im2));
        turn_im[p] = spread((float)(2.0 * re2 * im2));
        more[p] = spread((float)(LANES * change[p]));
    }
    for (int64_t begun = from; begun < frames; begun += SPAN) {
        const int64_t until = begun + SPAN < frames ? begun + SPAN : frames;
        for (int p = 0; p < TOGETHER; p++) {
            double c = re[p], s = im[p];
            const double gone = (double)(begun - from);
            if (begun > from) {
                const double angle = atan2(im[p], re[p]) + atan2(dim[p], dre[p]) * gone;
                c = cos(angle);
                s = sin(angle);
            }
            for (int j = 0; j < LANES; j++) {
                x[p][j] = (float)c;
                y[p][j] = (float)s;
                a[p][j] = (float)(amp[p] + change[p] * (gone + j));
                const double turned = c * dre[p] - s * dim[p];
                s = c * dim[p] + s * dre[p];
                c = turned;
            }
        }
        int64_t k = begun;
        for (; k + LANES <= until; k += LANES) {
            lanes sum;
            memcpy(&sum, tone + k, sizeof sum);
            for (int p = 0; p < TOGETHER; p++) {
                sum += a[p] * y[p];
                const lanes turned = x[p] * turn_re[p] - y[p] * turn_im[p];
                y[p] = x[p] * turn_im[p] + y[p] * turn_re[p];
                x[p] = turned;
                a[p] += more[p];
            }
            memcpy(tone + k, &sum, sizeof sum);
        }
        for (int j = 0; k + j < until; j++)
            for (int p = 0; p < TOGETHER; p++)
                tone[k + j] += a[p][j] * y[p][j];
    }
}

/* Partials whose pitch slides: the turning is turned, too. */
static void slide_through(float *tone, int64_t from, int64_t frames, int64_t used, double *re, double *im, double *dre,
                          double *dim, const double *ere, const double *eim, double *amp, const double *change)
{
    for (int64_t k = from; k < frames; k++) {
        double total = 0.0;
        for (int64_t p = 0; p < used; p++) {
            total += amp[p] * im[p];
            double turned = re[p] * dre[p] - im[p] * dim[p];
            im[p] = re[p] * dim[p] + im[p] * dre[p];
            re[p] = turned;
            amp[p] += change[p];
            turned = dre[p] * ere[p] - dim[p] * eim[p];
            dim[p] = dre[p] * eim[p] + dim[p] * ere[p];
            dre[p] = turned;
        }
        tone[k] = (float)total;
    }
}

/* Adds frames samples from sample `now` on, of those of `count` slots that are `used`, to `left` and `right`. `over` takes
 * which slots have begun and are softer than `silence` at its end; returns how many that are. */
int64_t arpegon_render(const State *s, const uint8_t *used_slots, int64_t count, int64_t now, int64_t frames, float *left,
                       float *right, double silence, int64_t *over)
{
    static _Thread_local float tone[MOST_FRAMES];
    const int64_t n = s->partials;
    int64_t ended = 0;
    for (int64_t slot = 0; slot < count; slot++) {
        if (!used_slots[slot])
            continue;
        const int64_t channel = s->channel[slot];
        const int64_t age = now - s->start[slot];
        double re[MOST_PARTIALS], im[MOST_PARTIALS], dre[MOST_PARTIALS], dim[MOST_PARTIALS];
        double ere[MOST_PARTIALS], eim[MOST_PARTIALS], amp[MOST_PARTIALS], change[MOST_PARTIALS];
        double slowest = -1e300, sum = 0.0;
        int slides = s->tuning0[channel] != s->tuning1[channel];
        int64_t used = 0;
        for (int64_t p = 0; p < n; p++) {
            const int64_t at = slot * n + p;
            const double step0 = s->step[at] * s->tuning0[channel];
            const double slide = slides ? s->step[at] * (s->tuning1[channel] - s->tuning0[channel]) / frames : 0.0;
            double phase = s->phase[at];
            if (age < 0)
                phase += step0 * age; /* zero at its own first sample */
            if (s->start[slot] < now + frames)
                s->phase[at] = fmod(phase + step0 * frames + slide * 0.5 * frames * frames, TWO_PI);
            const double fall = s->fall[at], level = s->level[at];
            if (fall > slowest)
                slowest = fall;
            sum += level;
            const double first = level * exp(fall * (age > 0 ? age : 0)) * s->weights0[channel * n + p];
            const int64_t later = age + frames;
            const double last = level * exp(fall * (later > 0 ? later : 0)) * s->weights1[channel * n + p];
            if (first < 1e-9 && last < 1e-9)
                continue;
            re[used] = cos(phase);
            im[used] = sin(phase);
            dre[used] = cos(step0 + 0.5 * slide);
            dim[used] = sin(step0 + 0.5 * slide);
            if (slides) {
                ere[used] = cos(slide);
                eim[used] = sin(slide);
            }
            amp[used] = first;
            change[used] = (last - first) / frames;
            used++;
        }
        const int64_t begins = age < 0 ? -age : 0;
        const int64_t from = begins < frames ? begins : frames;
        if (from) { /* turn on to its first sample */
            memset(tone, 0, from * sizeof(float));
            for (int64_t p = 0; p < used; p++) {
                const double at = (double)from, slide = slides ? atan2(eim[p], ere[p]) : 0.0;
                const double step0 = atan2(dim[p], dre[p]) - 0.5 * slide;
                const double angle = atan2(im[p], re[p]) + step0 * at + 0.5 * slide * at * at;
                re[p] = cos(angle);
                im[p] = sin(angle);
                dre[p] = cos(step0 + slide * (at + 0.5));
                dim[p] = sin(step0 + slide * (at + 0.5));
                amp[p] += change[p] * at;
            }
        }
        if (slides)
            slide_through(tone, from, frames, used, re, im, dre, dim, ere, eim, amp, change);
        else {
            memset(tone + from, 0, (frames - from) * sizeof(float));
            for (; used % TOGETHER; used++) /* silent ones, so that there are always as many together */
                re[used] = im[used] = dre[used] = dim[used] = amp[used] = change[used] = 0.0;
            for (int64_t p = 0; p < used; p += TOGETHER)
                add_partials(tone, from, frames, re + p, im + p, dre + p, dim + p, amp + p, change + p);
        }
        double envelope = 1.0;
        if (age < s->attack) { /* rises along 3x^2 - 2x^3 */
            for (int64_t k = from; k < frames; k++) {
                double x = (age + k) / s->attack;
                x = x < 0.0 ? 0.0 : x > 1.0 ? 1.0 : x;
                envelope = x * x * (3.0 - 2.0 * x);
                tone[k] *= (float)envelope;
            }
            if (from == frames)
                envelope = 0.0;
        }
        if (s->end[slot] < now + frames) { /* a decay whose first instants are rounded, so that it has no corner */
            const int64_t since = now - s->end[slot];
            const double by = -3.0 / s->fade[slot], times = exp(by);
            double last = 1.0;
            const int64_t ends = -since > from ? -since : from;
            double gone = by * (since + ends), falls = exp(gone);
            for (int64_t k = ends; k < frames; k++) {
                last = falls * (1.0 - gone);
                tone[k] *= (float)last;
                falls *= times;
                gone += by;
            }
            envelope *= last;
        }
        const float l0 = (float)s->gain0[channel], r0 = (float)s->gain0[16 + channel];
        const float l1 = (float)(s->gain1[channel] - s->gain0[channel]) / (float)frames;
        const float r1 = (float)(s->gain1[16 + channel] - s->gain0[16 + channel]) / (float)frames;
        for (int64_t k = from; k < frames; k++) {
            left[k] += tone[k] * (l0 + l1 * (float)k);
            right[k] += tone[k] * (r0 + r1 * (float)k);
        }
        const int64_t after = now + frames - s->start[slot];
        double peak = sum * exp(slowest * (after > 0 ? after : 0));
        if (s->end[slot] < now + frames)
            peak *= envelope;
        if (peak < silence && after > 0)
            over[ended++] = slot;
    }
    return ended;
}

/* Turns the two sides of a strip, `frames` after one another, up by gains that go from `first` to `last`, and adds them to
 * `out`, laid out alike; returns how far they swing. */
float arpegon_mix(const float *dry, float *out, int64_t frames, const float *first, const float *last)
{
    float low = 0.0f, high = 0.0f;
    for (int side = 0; side < 2; side++) {
        const float *from = dry + side * frames;
        float *into = out + side * frames;
        const float gain = first[side], more = frames > 1 ? (last[side] - gain) / (float)(frames - 1) : 0.0f;
        for (int64_t k = 0; k < frames; k++) {
            const float x = from[k] * (gain + more * (float)k);
            into[k] += x;
            low = x < low ? x : low;
            high = x > high ? x : high;
        }
    }
    return high > -low ? high : -low;
}
