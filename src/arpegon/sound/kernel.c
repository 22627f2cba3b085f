/* Blocks of an instrument, its voices or the strokes of its kit: what plain.py does in NumPy, in one call.
 *
 * It is called through ctypes, so it needs nothing of Python's, and Python's lock is free meanwhile. Sines are turned
 * by complex multiplication; a bend or vibrato turns the turning (their angle is a square function of time).
 */
#include <math.h>
#include <stdint.h>
#include <string.h>

#define MOST_PARTIALS 32
#define CHANNELS 16
#define CONTROLS 128
#define MOST_FRAMES 8192
#define SPAN 512
#define SLIDING_SPAN 128
#define LANES 4
#define TOGETHER 4
#define TWO_PI 6.283185307179586
#define NEAR 1e-5 /* how near controllers are when they have arrived */
#define SMOOTH_SECONDS 0.008
#define INERTIA_SECONDS 0.6 /* of the rotor */
#define SLOW_HZ 0.75
#define FAST_HZ 6.4
#define DEPTH 0.22
#define APART 2.0 /* radians by which the right ear hears it later */

typedef float lanes __attribute__((vector_size(4 * LANES))); /* GCC's and Clang's, on any processor */

static inline lanes spread(float value) { return (lanes){value, value, value, value}; }

enum { MODULATION = 1, VOLUME = 7, PAN = 10, EXPRESSION = 11, ROTARY = 80 };

typedef struct {
    int64_t partials;
    /* The slots. */
    int64_t slots;
    const uint8_t *used;
    const int64_t *channel;
    double *phase; /* slots x partials, as the next three */
    const double *step;
    const double *level;
    const double *fall;
    const int64_t *start; /* in samples */
    const int64_t *end;
    const double *fade;
    /* The sound. */
    double rate, attack; /* samples a second; in samples */
    double press, vibrato_hz, vibrato_cents;
    int64_t bowed;
    const int64_t *drawbars; /* their numbers, or null */
    const double *octaves;   /* of each partial */
    /* What came for each channel. */
    const int64_t *controls;
    const double *bend;
    const double *pressure;
    uint8_t *moving; /* whether what follows has not arrived there */
    /* What is heard of it, at the beginning (0) and at the end (1) of a block. */
    int64_t slides; /* whether they differ */
    double gain[2][2][CHANNELS];
    double tuning[2][CHANNELS];
    double shade[2][CHANNELS][MOST_PARTIALS]; /* of each partial: weights, and what pressure makes of them */
    double mod[CHANNELS];
    double bright[CHANNELS];
    double weights[CHANNELS][MOST_PARTIALS];
    double rotor_speed, rotor_phase;
    /* Which slots have begun and are softer than this at the end of a block, and how many that are. */
    double silence;
    int64_t *over;
    int64_t ended;
} State;

/* -- controllers ------------------------------------------------------------------------------- */

static void aim_gain(const int64_t *controls, double gain[2])
{
    const double level = (controls[VOLUME] / 100.0) * (controls[EXPRESSION] / 127.0);
    double place = (controls[PAN] - 64) / 63.0;
    place = place < -1.0 ? -1.0 : place > 1.0 ? 1.0 : place;
    const double angle = (place + 1.0) * (TWO_PI / 8.0), loud = level * sqrt(level) * sqrt(2.0);
    gain[0] = cos(angle) * loud;
    gain[1] = sin(angle) * loud;
}

static void aim_weights(const State *s, const int64_t *controls, double *weights)
{
    const double bow = controls[MODULATION] / 127.0, loud = s->bowed ? 0.05 + 1.15 * pow(bow, 1.3) : 1.0;
    for (int64_t p = 0; p < s->partials; p++)
        weights[p] = s->drawbars ? pow(controls[s->drawbars[p]] / 127.0, 1.4)
                     : s->bowed  ? loud * exp2(1.6 * (bow - 0.75) * s->octaves[p])
                                 : 1.0;
}

/* Moves one channel's towards where they were sent, by a share of the way; whether they have arrived. */
static int ease_channel(State *s, int64_t channel, double swing, double share)
{
    const int64_t *controls = s->controls + channel * CONTROLS;
    const double wheel = controls[MODULATION] / 127.0, pressure = s->pressure[channel];
    double gain[2], weights[MOST_PARTIALS];
    int arrived = 1;
    aim_gain(controls, gain);
    for (int side = 0; side < 2; side++) {
        double *now = &s->gain[1][side][channel];
        *now += (gain[side] - *now) * share;
        arrived &= fabs(gain[side] - *now) < NEAR;
    }
    s->mod[channel] += (wheel - s->mod[channel]) * share;
    s->bright[channel] += (pressure - s->bright[channel]) * share;
    arrived &= fabs(s->bright[channel] - pressure) < NEAR;
    aim_weights(s, controls, weights);
    for (int64_t p = 0; p < s->partials; p++) {
        double *now = &s->weights[channel][p];
        arrived &= fabs(weights[p] - *now) < NEAR;
        *now += (weights[p] - *now) * share;
    }
    if (arrived) {
        memcpy(s->weights[channel], weights, sizeof weights);
        s->gain[1][0][channel] = gain[0];
        s->gain[1][1][channel] = gain[1];
        /* Vibrato goes on moving for as long as a wheel is up. */
        if (s->vibrato_cents == 0.0 || (s->mod[channel] < NEAR && wheel == 0.0)) {
            s->mod[channel] = wheel;
            s->bright[channel] = pressure;
        } else
            arrived = 0;
    }
    s->tuning[1][channel] = exp2((s->bend[channel] + s->mod[channel] * s->vibrato_cents * swing / 100.0) / 12.0);
    for (int64_t p = 0; p < s->partials; p++) {
        const double bright = s->bright[channel];
        const double lift = bright == 0.0 ? 1.0 : pow(1.0 + 2.0 * s->press * s->octaves[p], bright);
        s->shade[1][channel][p] = lift * s->weights[channel][p];
    }
    return arrived;
}

static void begin_where_they_are(State *s)
{
    if (!s->slides)
        return;
    s->slides = 0;
    memcpy(s->gain[0], s->gain[1], sizeof s->gain[0]);
    memcpy(s->tuning[0], s->tuning[1], sizeof s->tuning[0]);
    memcpy(s->shade[0], s->shade[1], sizeof s->shade[0]);
}

/* Moves all that did not arrive, as they are at sample `now`; whether any did not. */
static int ease(State *s, int64_t now, double share)
{
    const double swing = sin(TWO_PI * s->vibrato_hz * (double)now / s->rate);
    int moving = 0;
    begin_where_they_are(s);
    for (int64_t channel = 0; channel < CHANNELS; channel++) {
        if (!s->moving[channel])
            continue;
        s->slides = 1;
        s->moving[channel] = !ease_channel(s, channel, swing, share);
        moving |= s->moving[channel];
    }
    return moving;
}

/* -- the rotor before an organ ------------------------------------------------------------------- */

static void turn_rotor(State *s, int64_t frames, const float *dry_left, const float *dry_right, float *left, float *right)
{
    int fast = 0;
    for (int64_t channel = 0; channel < CHANNELS; channel++)
        fast |= s->controls[channel * CONTROLS + ROTARY] >= 64;
    const double wanted = fast ? FAST_HZ : SLOW_HZ;
    const double after = wanted + (s->rotor_speed - wanted) * exp(-(double)frames / (INERTIA_SECONDS * s->rate));
    const double step = TWO_PI * 0.5 * (s->rotor_speed + after) / s->rate;
    if (left) {
        double x = cos(s->rotor_phase), y = sin(s->rotor_phase), u = cos(s->rotor_phase - APART),
               v = sin(s->rotor_phase - APART);
        const double c = cos(step), d = sin(step);
        for (int64_t k = 0; k < frames; k++) {
            left[k] += dry_left[k] * (1.0f + (float)(DEPTH * y));
            right[k] += dry_right[k] * (1.0f + (float)(DEPTH * v));
            const double turned = x * c - y * d, other = u * c - v * d;
            y = x * d + y * c;
            v = u * d + v * c;
            x = turned;
            u = other;
        }
    }
    s->rotor_phase = fmod(s->rotor_phase + step * (double)frames, TWO_PI);
    s->rotor_speed = after;
}

/* Lets frames from sample `now` on pass in silence; whether something moves on all the same. */
int64_t arpegon_rest(State *s, int64_t now, int64_t frames)
{
    const int moving = ease(s, now + frames, 1.0);
    begin_where_they_are(s);
    if (s->drawbars)
        turn_rotor(s, frames, 0, 0, 0, 0);
    return moving || s->drawbars;
}

/* -- partials ------------------------------------------------------------------------------------ */

typedef struct {
    double re, im;
} Turn;

static inline Turn turn_of(double angle) { return (Turn){cos(angle), sin(angle)}; }

static inline Turn times(Turn a, Turn b) { return (Turn){a.re * b.re - a.im * b.im, a.re * b.im + a.im * b.re}; }

/* Of a voice's partials, at sample k of a block: their angle is phase + step k + slide k^2 / 2, their amplitude
 * amp + change k. */
typedef struct {
    double phase[MOST_PARTIALS], step[MOST_PARTIALS], slide[MOST_PARTIALS], amp[MOST_PARTIALS], change[MOST_PARTIALS];
} Partials;

/* Adds TOGETHER partials from `first` on: LANES samples at a time, each turned on by as many steps; begun anew from their
 * exact place every SPAN samples (every SLIDING_SPAN, where their pitch slides), so that rounding stays far beneath what is heard. */
static inline __attribute__((always_inline)) void add_partials(float *tone, int32_t from, int32_t frames,
                                                               const Partials *of, int64_t first, int slides)
{
    lanes turn_re[TOGETHER], turn_im[TOGETHER], more[TOGETHER], x[TOGETHER], y[TOGETHER], a[TOGETHER];
    lanes on_re[TOGETHER], on_im[TOGETHER]; /* by which the turning turns */
    const int32_t span = slides ? SLIDING_SPAN : SPAN;
    for (int32_t begun = from; begun < frames; begun += span) {
        const int32_t until = begun + span < frames ? begun + span : frames;
        for (int p = 0; p < TOGETHER; p++) {
            const double step = of->step[first + p], slide = slides ? of->slide[first + p] : 0.0;
            const Turn once = turn_of(slide), twice = times(once, once), four = times(twice, twice);
            const Turn six = times(four, twice), eight = times(four, four), sixteen = times(eight, eight);
            Turn now = turn_of(of->phase[first + p] + (step + 0.5 * slide * begun) * begun);
            Turn next = turn_of(step + slide * (begun + 0.5));
            for (int j = 0; j < LANES; j++) {
                const Turn half = times(next, next), whole = times(half, half), far = slides ? times(whole, six) : whole;
                x[p][j] = (float)now.re;
                y[p][j] = (float)now.im;
                turn_re[p][j] = (float)far.re;
                turn_im[p][j] = (float)far.im;
                a[p][j] = (float)(of->amp[first + p] + of->change[first + p] * (begun + j));
                now = times(now, next);
                if (slides)
                    next = times(next, once);
            }
            more[p] = spread((float)(LANES * of->change[first + p]));
            on_re[p] = spread((float)sixteen.re);
            on_im[p] = spread((float)sixteen.im);
        }
        int32_t k = begun;
        for (; k + LANES <= until; k += LANES) {
            lanes sum;
            memcpy(&sum, tone + k, sizeof sum);
            for (int p = 0; p < TOGETHER; p++) {
                sum += a[p] * y[p];
                const lanes turned = x[p] * turn_re[p] - y[p] * turn_im[p];
                y[p] = x[p] * turn_im[p] + y[p] * turn_re[p];
                x[p] = turned;
                a[p] += more[p];
                if (slides) {
                    const lanes on = turn_re[p] * on_re[p] - turn_im[p] * on_im[p];
                    turn_im[p] = turn_re[p] * on_im[p] + turn_im[p] * on_re[p];
                    turn_re[p] = on;
                }
            }
            memcpy(tone + k, &sum, sizeof sum);
        }
        for (int j = 0; k + j < until; j++)
            for (int p = 0; p < TOGETHER; p++)
                tone[k + j] += a[p][j] * y[p][j];
    }
}

static void add_steady(float *tone, int32_t from, int32_t frames, const Partials *of, int64_t first)
{
    add_partials(tone, from, frames, of, first, 0);
}

static void add_sliding(float *tone, int32_t from, int32_t frames, const Partials *of, int64_t first)
{
    add_partials(tone, from, frames, of, first, 1);
}

/* The partials of a slot that are heard in a block, silent ones after them so that there are always as many together; their
 * phases go on. */
static int64_t gather(const State *s, int64_t slot, int64_t now, int32_t frames, Partials *into)
{
    const int64_t n = s->partials, channel = s->channel[slot], age = now - s->start[slot], later = age + frames;
    const double tuning = s->tuning[0][channel], slides = (s->tuning[1][channel] - tuning) / frames;
    int64_t used = 0;
    for (int64_t p = 0; p < n; p++) {
        const int64_t at = slot * n + p;
        const double step = s->step[at] * tuning, slide = s->step[at] * slides;
        const double level = s->level[at], fall = s->fall[at];
        double phase = s->phase[at];
        if (age < 0)
            phase += step * (double)age; /* zero at its own first sample */
        if (later > 0) {
            const double after = phase + (step + 0.5 * slide * frames) * frames;
            s->phase[at] = after - TWO_PI * floor(after / TWO_PI);
        }
        double first = level * s->shade[0][channel][p], last = level * s->shade[1][channel][p];
        if (fall != 0.0) {
            first *= exp(fall * (double)(age > 0 ? age : 0));
            last *= exp(fall * (double)(later > 0 ? later : 0));
        }
        if (first < 1e-9 && last < 1e-9)
            continue;
        into->phase[used] = phase;
        into->step[used] = step;
        into->slide[used] = slide;
        into->amp[used] = first;
        into->change[used] = (last - first) / frames;
        used++;
    }
    for (; used % TOGETHER; used++)
        into->phase[used] = into->step[used] = into->slide[used] = into->amp[used] = into->change[used] = 0.0;
    return used;
}

/* Attack and release of a slot, laid over its tone; what is left at the end of the block. */
static double shape(const State *s, int64_t slot, int64_t now, int32_t from, int32_t frames, float *tone)
{
    const int64_t age = now - s->start[slot], since = now - s->end[slot];
    double envelope = 1.0;
    if ((double)age < s->attack) { /* rises along 3x^2 - 2x^3 */
        for (int32_t k = from; k < frames; k++) {
            double x = (double)(age + k) / s->attack;
            x = x < 0.0 ? 0.0 : x > 1.0 ? 1.0 : x;
            envelope = x * x * (3.0 - 2.0 * x);
            tone[k] *= (float)envelope;
        }
        if (from == frames)
            envelope = 0.0;
    }
    if (since + frames > 0) { /* a decay whose first instants are rounded, so that it has no corner */
        const double by = -3.0 / s->fade[slot], times = exp(by);
        const int32_t ends = -since > from ? (int32_t)-since : from;
        double last = 1.0, gone = by * (double)(since + ends), falls = exp(gone);
        for (int32_t k = ends; k < frames; k++) {
            last = falls * (1.0 - gone);
            tone[k] *= (float)last;
            falls *= times;
            gone += by;
        }
        envelope *= last;
    }
    return envelope;
}

static void add_slot(State *s, int64_t slot, int64_t now, int32_t frames, float *left, float *right, double *envelope)
{
    static _Thread_local float tone[MOST_FRAMES];
    const int64_t channel = s->channel[slot], begins = s->start[slot] - now;
    const int32_t from = begins < 0 ? 0 : begins < frames ? (int32_t)begins : frames;
    Partials partials;
    const int64_t used = gather(s, slot, now, frames, &partials);
    const int slides = s->tuning[0][channel] != s->tuning[1][channel];
    memset(tone, 0, (size_t)frames * sizeof(float));
    for (int64_t p = 0; p < used; p += TOGETHER)
        (slides ? add_sliding : add_steady)(tone, from, frames, &partials, p);
    *envelope = shape(s, slot, now, from, frames, tone);
    const float l0 = (float)s->gain[0][0][channel], r0 = (float)s->gain[0][1][channel];
    const float l1 = (float)(s->gain[1][0][channel] - s->gain[0][0][channel]) / (float)frames;
    const float r1 = (float)(s->gain[1][1][channel] - s->gain[0][1][channel]) / (float)frames;
    for (int32_t k = from; k < frames; k++) {
        left[k] += tone[k] * (l0 + l1 * (float)k);
        right[k] += tone[k] * (r0 + r1 * (float)k);
    }
}

/* How loud a slot is at sample `then`, but for its envelope. */
static double peak_of(const State *s, int64_t slot, int64_t then)
{
    double sum = 0.0, slowest = -1e300;
    for (int64_t at = slot * s->partials; at < (slot + 1) * s->partials; at++) {
        sum += s->level[at];
        slowest = s->fall[at] > slowest ? s->fall[at] : slowest;
    }
    return sum * exp(slowest * (double)(then - s->start[slot]));
}

/* -- the mix -------------------------------------------------------------------------------------- */

/* What an instrument is turned up by: of left and right at the first sample, and how much more at each later one. */
typedef struct {
    float gain[2], rise[2];
} Ramp;

/* Adds a side, turned up; returns how far it swings. */
static float mix(const float *dry, float *into, int32_t frames, float gain, float rise)
{
    float low = 0.0f, high = 0.0f;
    for (int32_t k = 0; k < frames; k++) {
        const float x = dry[k] * (gain + rise * (float)k);
        into[k] += x;
        low = x < low ? x : low;
        high = x > high ? x : high;
    }
    return high > -low ? high : -low;
}

/* -- voices --------------------------------------------------------------------------------------- */

static void render_voices(void *source, int64_t now, int32_t frames, float *left, float *right)
{
    static _Thread_local float dry[2][MOST_FRAMES];
    State *s = source;
    const int64_t then = now + frames;
    s->ended = 0;
    ease(s, then, 1.0 - exp(-(double)frames / (SMOOTH_SECONDS * s->rate)));
    if (s->drawbars)
        for (int side = 0; side < 2; side++)
            memset(dry[side], 0, (size_t)frames * sizeof(float));
    for (int64_t slot = 0; slot < s->slots; slot++) {
        double envelope;
        if (!s->used[slot])
            continue;
        add_slot(s, slot, now, frames, s->drawbars ? dry[0] : left, s->drawbars ? dry[1] : right, &envelope);
        if (then > s->start[slot] && peak_of(s, slot, then) * (s->end[slot] < then ? envelope : 1.0) < s->silence)
            s->over[s->ended++] = slot;
    }
    if (s->drawbars)
        turn_rotor(s, frames, dry[0], dry[1], left, right);
}

/* -- a kit ---------------------------------------------------------------------------------------- */

typedef struct {
    const float *samples;
    int64_t length, start, end, channel; /* in samples; `end` is when it is choked */
    double gain[2];
    int64_t note;
} Stroke;

typedef struct {
    const Stroke *strokes;
    int64_t count;
    double choke; /* how many samples one is heard after it is choked */
    const double *before, *after; /* gains of each channel at the beginning and the end of a block: left, then right */
    /* Which are over at its end, and how many that are. */
    int64_t *over;
    int64_t ended;
} Kit;

/* Adds samples of a stroke to two sides, with gains that begin at `gain` and rise by `rise` each sample; it was choked
 * `since` samples ago, or will be, and is gone `choke` samples later. */
static void add_stroke(const float *stroke, int32_t frames, float *left, float *right, const double gain[2],
                       const double rise[2], int64_t since, double choke)
{
    const float l0 = (float)gain[0], r0 = (float)gain[1], l1 = (float)rise[0], r1 = (float)rise[1];
    const int32_t whole = since >= 0 ? 0 : -since < frames ? (int32_t)-since : frames;
    for (int32_t k = 0; k < whole; k++) {
        left[k] += stroke[k] * (l0 + l1 * (float)k);
        right[k] += stroke[k] * (r0 + r1 * (float)k);
    }
    for (int32_t k = whole; k < frames; k++) {
        const float fade = (float)(1.0 - (double)(since + k) / choke), x = fade > 0.0f ? fade * stroke[k] : 0.0f;
        left[k] += x * (l0 + l1 * (float)k);
        right[k] += x * (r0 + r1 * (float)k);
    }
}

static void render_kit(void *source, int64_t now, int32_t frames, float *left, float *right)
{
    Kit *kit = source;
    kit->ended = 0;
    for (int64_t place = 0; place < kit->count; place++) {
        const Stroke *stroke = kit->strokes + place;
        const int64_t first = stroke->start > now ? stroke->start - now : 0;
        if (first >= frames)
            continue;
        const int64_t begun = now + first - stroke->start, left_over = stroke->length - begun;
        const int32_t count = (int32_t)(frames - first < left_over ? frames - first : left_over);
        const int64_t since = now + first - stroke->end;
        double gain[2], rise[2];
        for (int side = 0; side < 2; side++) {
            const double from = kit->before[side * CHANNELS + stroke->channel], to = kit->after[side * CHANNELS + stroke->channel];
            rise[side] = stroke->gain[side] * (to - from) / (frames > 1 ? frames - 1 : 1);
            gain[side] = stroke->gain[side] * from + rise[side] * (double)first;
        }
        add_stroke(stroke->samples + begun, count, left + first, right + first, gain, rise, since, kit->choke);
        if ((double)(since + count) > kit->choke || frames - first >= left_over)
            kit->over[kit->ended++] = place;
    }
}

/* -- all that is to be done for a block ------------------------------------------------------------ */

/* Samples to be added of what an instrument plays. */
typedef struct {
    void *source; /* a Kit, or a State of voices */
    int64_t is_kit;
    int64_t now, frames; /* from which of its samples on, and how many */
    float *left, *right;
    const Ramp *ramp;
    double swing; /* how far they swing: written here */
} Job;

static void render(Job *job)
{
    static _Thread_local float dry[2][MOST_FRAMES];
    float swing = 0.0f;
    *(job->is_kit ? &((Kit *)job->source)->ended : &((State *)job->source)->ended) = 0;
    for (int64_t done = 0; done < job->frames; done += MOST_FRAMES) {
        const int32_t count = job->frames - done < MOST_FRAMES ? (int32_t)(job->frames - done) : MOST_FRAMES;
        float *into[2] = {job->left + done, job->right + done};
        for (int side = 0; side < 2; side++)
            memset(dry[side], 0, (size_t)count * sizeof(float));
        (job->is_kit ? render_kit : render_voices)(job->source, job->now + done, count, dry[0], dry[1]);
        for (int side = 0; side < 2; side++) {
            const float rise = job->ramp->rise[side], gain = job->ramp->gain[side] + rise * (float)done;
            const float far = mix(dry[side], into[side], count, gain, rise);
            swing = far > swing ? far : swing;
        }
    }
    job->swing = swing;
}

void arpegon_render(Job *const *jobs, int64_t count)
{
    for (int64_t place = 0; place < count; place++)
        render(jobs[place]);
}
