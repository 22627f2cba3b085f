/* What Bands.process in bands.py, HitListener.hops in hits.py and PeriodMeter.read in periods.py do in NumPy, in one call
 * each.
 *
 * It is called through ctypes, so it needs nothing of Python's, and Python's lock is free meanwhile. All that is
 * remembered lies in arrays of NumPy's, to which the structs point.
 */
#include <math.h>
#include <stdint.h>
#include <string.h>

/* What is reckoned sample by sample is built twice where that can be: for any processor, and for those that take twice as
 * many numbers at once. */
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && defined(__GLIBC__)
#define WIDE __attribute__((target_clones("arch=haswell", "default")))
#else
#define WIDE
#endif

#define MOST_BANDS 8
#define MOST_QUARTER 1024
#define SMOOTH_HOPS 3
#define PAST_HOPS 24
#define GAP_HOPS 3
#define KEPT_HOPS (PAST_HOPS + GAP_HOPS)
#define FLOOR_HOPS 16
#define FLOOR_SPANS 96
#define MEAN_HOPS 4
#define MEANS (PAST_HOPS + MEAN_HOPS)
#define ZONES 2
#define SMALLEST 1e-12
#define FULL_RISE_DB 24.0
#define YOUNG_DB 5.0
#define OVER_FLOOR_DB 9.0
#define FAINTEST_DB -96.0
#define LOW_BANDS 2
#define LOW_SHARE 0.25

typedef struct {
    int64_t size; /* of the window, in samples */
    int64_t hop;
    int64_t bins; /* that lie in a band */
    int64_t bands;
    const double *window;
    const double *cosine;   /* bins x (a quarter of the size + 1): of each bin, over the first quarter of the window */
    const double *sine;
    const int64_t *bin;     /* which they are */
    const int64_t *band;    /* of each */
    double share;           /* of its power that a bin gives to its band */
    double *line;           /* the last samples, as many as the window has */
    double *raw;            /* powers of the last hops but this, bands x (SMOOTH_HOPS - 1) */
    double *past;           /* levels, bands x KEPT_HOPS */
    double *floor;
    double *span;
    double *spans; /* bands x FLOOR_SPANS */
    double hiss;
    int64_t fill; /* samples in the line */
    int64_t span_hops;
    int64_t span_place;
    int64_t to_start;
    int64_t to_know;
} Bands;

typedef struct {
    int64_t zones;
    Bands *bands[ZONES];
    double filter[5]; /* b0 b1 b2 a1 a2 of what lets pass what is above rumble */
    double *state;    /* zones x 2 */
    double *edge;     /* the last sample of each zone */
    double *loud;     /* the last energies above rumble, zones x (MEAN_HOPS - 1) */
    double *means;    /* the last means of these, zones x MEANS */
    double slope;
    double low;       /* times the noise floor: above it, and beneath the next, loudness tells more than bands */
    double high;
    double counts;
    double *rest;     /* samples that make no hop yet, hop x zones */
    int64_t fill;
} Hits;

static double decibels(double power) { return 10.0 * log10(power > SMALLEST ? power : SMALLEST); }

static void follow_floor(Bands *b, const double *power)
{
    for (int64_t i = 0; i < b->bands; i++)
        b->span[i] += power[i];
    if (++b->span_hops < FLOOR_HOPS)
        return;
    double total = 0.0, low = 0.0;
    for (int64_t i = 0; i < b->bands; i++) {
        double *spans = b->spans + i * FLOOR_SPANS, quietest = INFINITY;
        spans[b->span_place] = b->span[i] / FLOOR_HOPS;
        for (int64_t k = 0; k < FLOOR_SPANS; k++)
            quietest = spans[k] < quietest ? spans[k] : quietest;
        b->floor[i] = decibels(quietest);
        b->span[i] = 0.0;
        total += quietest;
        if (i < LOW_BANDS)
            low += quietest;
    }
    b->span_place = (b->span_place + 1) % FLOOR_SPANS;
    b->span_hops = 0;
    b->hiss = low < LOW_SHARE * total ? total : 0.0;
}

/* The power of the window in each band. Cosines and sines are alike in all quarters of it, but for their signs: so the
 * quarters are laid over one another first, once for the even bins and once for the odd ones. */
WIDE static void powers_of(const Bands *b, double *power)
{
    const int64_t size = b->size, half = size / 2, quarter = half / 2;
    double even[2][MOST_QUARTER + 1], odd[2][MOST_QUARTER + 1]; /* under cosines, and under sines */
    const double *x = b->line, *w = b->window;
    for (int64_t k = 0; k <= quarter; k++) {
        const int64_t j = half - k;
        const double a = x[k] * w[k], c = x[j] * w[j];
        const double d = k ? x[size - k] * w[size - k] : 0.0, e = j < half ? x[size - j] * w[size - j] : 0.0;
        const double near = a + d, far = k < quarter ? c + e : 0.0;
        even[0][k] = near + far;
        odd[0][k] = near - far;
        const double left = a - d, right = k && k < quarter ? c - e : 0.0;
        even[1][k] = left - right;
        odd[1][k] = left + right;
    }
    for (int64_t place = 0; place < b->bins; place++) {
        const double *cosine = b->cosine + place * (quarter + 1), *sine = b->sine + place * (quarter + 1);
        const double *under_cosine = b->bin[place] % 2 ? odd[0] : even[0];
        const double *under_sine = b->bin[place] % 2 ? odd[1] : even[1];
        double re = 0.0, im = 0.0;
        for (int64_t k = 0; k <= quarter; k++) {
            re += under_cosine[k] * cosine[k];
            im += under_sine[k] * sine[k];
        }
        power[b->band[place]] += re * re + im * im;
    }
}

/* The line holds a whole window: how far all bands together rose, in dB. */
static double rise_of(Bands *b)
{
    double power[MOST_BANDS] = {0.0};
    powers_of(b, power);
    const int starts = b->to_start > 0, young = b->to_know > 0;
    if (starts)
        b->to_start--;
    if (young)
        b->to_know--;
    double rise = 0.0;
    for (int64_t i = 0; i < b->bands; i++) {
        power[i] *= b->share;
        double *raw = b->raw + i * (SMOOTH_HOPS - 1), smooth = power[i];
        const int64_t width = SMOOTH_HOPS - i;
        for (int64_t back = 1; back < width; back++)
            smooth += raw[SMOOTH_HOPS - 1 - back];
        if (width > 1)
            smooth /= width;
        memmove(raw, raw + 1, (SMOOTH_HOPS - 2) * sizeof(double));
        raw[SMOOTH_HOPS - 2] = power[i];
        const double level = decibels(smooth);
        double *past = b->past + i * KEPT_HOPS;
        if (starts && !b->to_start)
            for (int64_t k = 0; k < KEPT_HOPS; k++)
                past[k] = level;
        double recent = past[0];
        for (int64_t k = 1; k < PAST_HOPS; k++)
            recent = past[k] > recent ? past[k] : recent;
        memmove(past, past + 1, (KEPT_HOPS - 1) * sizeof(double));
        past[KEPT_HOPS - 1] = level;
        if (young)
            recent += YOUNG_DB;
        const double floor = b->floor[i] + OVER_FLOOR_DB;
        const double over = level - (floor > FAINTEST_DB ? floor : FAINTEST_DB);
        double risen = level - recent < over ? level - recent : over;
        risen = risen < 0.0 ? 0.0 : risen > FULL_RISE_DB ? FULL_RISE_DB : risen;
        rise += risen;
    }
    follow_floor(b, power);
    return starts ? 0.0 : rise;
}

/* Takes n samples, `apart` places from one another; writes the rise of each hop, and returns how many there are. */
int64_t arpegon_bands(Bands *b, const double *samples, int64_t n, int64_t apart, double *rise)
{
    int64_t hops = 0;
    for (int64_t k = 0; k < n; k++) {
        b->line[b->fill++] = samples[k * apart];
        if (b->fill == b->size) {
            rise[hops++] = rise_of(b);
            memmove(b->line, b->line + b->hop, (b->size - b->hop) * sizeof(double));
            b->fill = b->size - b->hop;
        }
    }
    return hops;
}

/* By how many dB all that is above rumble is louder than it was, where hiss hides the bands. */
static double louder(Hits *h, int64_t zone, double energy, double hiss)
{
    double *loud = h->loud + zone * (MEAN_HOPS - 1), *means = h->means + zone * MEANS;
    double mean = energy;
    for (int64_t k = 0; k < MEAN_HOPS - 1; k++)
        mean += loud[k];
    mean = mean / MEAN_HOPS + SMALLEST;
    double before = means[0];
    for (int64_t k = 1; k < PAST_HOPS; k++)
        before = means[k] > before ? means[k] : before;
    memmove(loud, loud + 1, (MEAN_HOPS - 2) * sizeof(double));
    loud[MEAN_HOPS - 2] = energy;
    memmove(means, means + 1, (MEANS - 1) * sizeof(double));
    means[MEANS - 1] = mean;
    return mean > h->low * hiss && mean < h->high * hiss ? 10.0 * log10(mean / before) : 0.0;
}

/* Takes n frames of as many samples as there are zones. Of each hop: rise takes how far it rose, peaks half of how far
 * it swings, energies the mean squares of the slopes and then of the samples, by zone. Returns how many hops there are. */
int64_t arpegon_hits(Hits *h, const double *samples, int64_t n, double *rise, double *peaks, double *energies)
{
    const int64_t zones = h->zones, hop = h->bands[0]->hop;
    int64_t hops = 0;
    for (int64_t k = 0; k < n; k++) {
        memcpy(h->rest + h->fill * zones, samples + k * zones, zones * sizeof(double));
        if (++h->fill < hop)
            continue;
        h->fill = 0;
        double risen = 0.0, swing = 0.0, grown = -INFINITY;
        for (int64_t zone = 0; zone < zones; zone++) {
            const double hiss = h->bands[zone]->hiss;
            double own = 0.0;
            arpegon_bands(h->bands[zone], h->rest + zone, hop, zones, &own);
            risen = own > risen ? own : risen;
            double slopes = 0.0, squares = 0.0, above = 0.0, lowest = INFINITY, highest = -INFINITY;
            double last = h->edge[zone], *state = h->state + 2 * zone;
            for (int64_t i = 0; i < hop; i++) {
                const double x = h->rest[i * zones + zone], by = (x - last) * h->slope;
                last = x;
                slopes += by * by;
                squares += x * x;
                lowest = x < lowest ? x : lowest;
                highest = x > highest ? x : highest;
                const double y = h->filter[0] * x + state[0];
                state[0] = h->filter[1] * x - h->filter[3] * y + state[1];
                state[1] = h->filter[2] * x - h->filter[4] * y;
                above += y * y;
            }
            h->edge[zone] = last;
            swing = highest - lowest > swing ? highest - lowest : swing;
            energies[(hops * 2) * zones + zone] = slopes / hop;
            energies[(hops * 2 + 1) * zones + zone] = squares / hop;
            const double more = louder(h, zone, above / hop, hiss);
            grown = more > grown ? more : grown;
        }
        peaks[hops] = 0.5 * swing;
        grown *= h->counts;
        rise[hops++] = grown > risen ? grown : risen;
    }
    return hops;
}

/* How like itself a window of n samples is, for each lag up to `max_lag`: the normalized square difference. Four lags are
 * worked on together. */
static void alike(const double *window, int64_t n, int64_t max_lag, double *likeness)
{
    int64_t lag = 0;
    for (; lag + 4 <= max_lag; lag += 4) {
        double a = 0.0, b = 0.0, c = 0.0, d = 0.0;
        const double *later = window + lag;
        const int64_t shared = n - lag - 3;
        for (int64_t k = 0; k < shared; k++) {
            const double x = window[k];
            a += x * later[k];
            b += x * later[k + 1];
            c += x * later[k + 2];
            d += x * later[k + 3];
        }
        a += window[shared] * later[shared] + window[shared + 1] * later[shared + 1] +
             window[shared + 2] * later[shared + 2];
        b += window[shared] * later[shared + 1] + window[shared + 1] * later[shared + 2];
        c += window[shared] * later[shared + 2];
        likeness[lag] = a;
        likeness[lag + 1] = b;
        likeness[lag + 2] = c;
        likeness[lag + 3] = d;
    }
    for (; lag < max_lag; lag++) {
        double sum = 0.0;
        for (int64_t k = 0; k < n - lag; k++)
            sum += window[k] * window[k + lag];
        likeness[lag] = sum;
    }
    double pairs = 2.0 * likeness[0];
    for (lag = 0; lag < max_lag; lag++) {
        likeness[lag] = 2.0 * likeness[lag] / (pairs > SMALLEST ? pairs : SMALLEST);
        pairs -= window[lag] * window[lag] + window[n - 1 - lag] * window[n - 1 - lag];
    }
}

/* Finds the period of a window of n samples, at least four more than `max_lag`, the longest lag but one that is looked
 * at: the first peak, at `min_lag` or later, that is at least `share` as high as the highest. `likeness` has room for
 * `max_lag` values. Returns the period in samples, 0 where there is none; `clarity` takes how clear it is. */
double arpegon_period(const double *window, int64_t n, int64_t max_lag, int64_t min_lag, double share, double *likeness,
                      double *clarity)
{
    *clarity = 0.0;
    alike(window, n, max_lag, likeness);
    int64_t start = 0;
    while (start < max_lag && likeness[start] >= 0.0)
        start++;
    if (start < max_lag && start < min_lag)
        start = min_lag;
    double highest = 0.0;
    for (int64_t lag = start + 1; lag < max_lag - 1; lag++)
        if (likeness[lag] > likeness[lag - 1] && likeness[lag] >= likeness[lag + 1] && likeness[lag] > highest)
            highest = likeness[lag];
    if (max_lag - start < 4 || highest <= 0.0)
        return 0.0;
    for (int64_t lag = start + 1; lag < max_lag - 1; lag++) {
        const double left = likeness[lag - 1], top = likeness[lag], right = likeness[lag + 1];
        if (top <= left || top < right || top <= 0.0 || top < share * highest)
            continue;
        const double bend = left - 2.0 * top + right, shift = bend != 0.0 ? 0.5 * (left - right) / bend : 0.0;
        *clarity = top - 0.25 * (left - right) * shift;
        return lag + shift;
    }
    return 0.0;
}

/* A filter of second order (transposed direct form II), over samples in place; `filter` is b0, b1, b2, a1, a2. */
void arpegon_filter(const double *filter, double *state, double *samples, int64_t count)
{
    double first = state[0], second = state[1];
    for (int64_t k = 0; k < count; k++) {
        const double x = samples[k], y = filter[0] * x + first;
        first = filter[1] * x - filter[3] * y + second;
        second = filter[2] * x - filter[4] * y;
        samples[k] = y;
    }
    state[0] = first;
    state[1] = second;
}
