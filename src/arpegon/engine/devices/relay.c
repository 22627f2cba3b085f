/* What is done in JACK's thread, each period: nothing that anybody has to be waited for.
 *
 * What came in lies in rings until it is read, what is to leave lies in rings until its frame comes, and whoever works
 * on it is told of each period through an eventfd. JACK's own functions are handed in, so nothing of it is needed to
 * build this.
 *
 * Each ring has one thread that writes and one that reads it. Frames are counted as JACK does, in 32 bits.
 */
#define _GNU_SOURCE
#include <poll.h>
#include <stdatomic.h>
#include <stdint.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#define BEATS 256
#define LATES 256
#define BYTES (1u << 17)
#define SAMPLES (1u << 15)
#define PATIENCE_NS 1000000000ll

enum kind { MIDI_IN, MIDI_OUT, AUDIO_IN, AUDIO_OUT };

/* As in jack/midiport.h. */
struct event {
    uint32_t time;
    size_t size;
    unsigned char *buffer;
};

struct calls {
    void *(*buffer)(void *port, uint32_t frames);
    void (*clear)(void *buffer);
    uint32_t (*count)(void *buffer);
    int (*get)(struct event *event, void *buffer, uint32_t place);
    int (*write)(void *buffer, uint32_t offset, const unsigned char *bytes, size_t size);
    uint32_t (*last_frame)(const void *client);
    uint32_t (*since)(const void *client);
    int (*transport)(const void *client, void *position);
    int64_t (*clock)(void); /* nanoseconds */
};

struct port {
    void *jack;
    int64_t kind;
    /* Of what is written and read: bytes of messages, or frames of samples, in all. */
    _Atomic uint32_t written, read;
    _Atomic uint32_t left_out; /* messages that no period holds, or that came and found no room */
    union {
        unsigned char bytes[BYTES]; /* each message: its frame, its length, itself */
        float samples[SAMPLES];     /* by their frames, between read and written; the same where nothing sounds */
    };
};

/* A period that began. */
struct beat {
    uint32_t cycle, lost; /* its number; whether the server skipped periods since the last one that was told */
    uint32_t frame, frames;
    int64_t before, after; /* clock, about when it was asked how long ago that was */
    uint32_t since;        /* frames */
    int32_t state;         /* of JACK's transport, */
    unsigned char position[512];
};

struct relay {
    struct calls calls;
    void *client;
    _Atomic(struct port **) ports; /* ends with null */
    int64_t signal, answer;        /* eventfds: a beat was told; it was worked on */
    int64_t patience;              /* nanoseconds a frame, for what should sound and is not ready */
    _Atomic uint32_t begun, done; /* beats: told, and worked on */
    _Atomic uint32_t cycles;
    _Atomic uint32_t frame;
    _Atomic uint32_t pause; /* for how many frames nobody need be told of a period, where nothing came in, */
    _Atomic uint32_t wake;  /* up to this one */
    uint32_t told, expected, lost;
    _Atomic int64_t called; /* when JACK called last */
    _Atomic int32_t free_run; /* whether the server waits for nobody but its clients: then each waits for us */
    _Atomic int32_t sounds;   /* whether anybody makes sound, */
    _Atomic uint32_t missing; /* and periods for which there was none though there should have been */
    _Atomic uint32_t lates;
    int32_t late[LATES]; /* by how many frames what left was late */
    struct beat beats[BEATS];
    unsigned char scratch[BYTES / 4];
};


int64_t arpegon_clock(void)
{
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    return now.tv_sec * 1000000000ll + now.tv_nsec;
}

/* -- messages ---------------------------------------------------------------------------------- */

static void lay(struct port *port, uint32_t at, const void *bytes, uint32_t size)
{
    uint32_t place = at % BYTES, first = size < BYTES - place ? size : BYTES - place;
    memcpy(port->bytes + place, bytes, first);
    memcpy(port->bytes, (const char *)bytes + first, size - first);
}

static void lift(const struct port *port, uint32_t at, void *bytes, uint32_t size)
{
    uint32_t place = at % BYTES, first = size < BYTES - place ? size : BYTES - place;
    memcpy(bytes, port->bytes + place, first);
    memcpy((char *)bytes + first, port->bytes, size - first);
}

/* Add a message; 0 where there is no room for it now. One that no period holds is left out. */
int32_t arpegon_push(struct port *port, uint32_t frame, const void *bytes, uint32_t size)
{
    uint32_t end = atomic_load_explicit(&port->written, memory_order_relaxed);
    uint32_t used = end - atomic_load_explicit(&port->read, memory_order_acquire);
    uint32_t head[2] = {frame, size};
    if (size > BYTES / 4) {
        atomic_fetch_add(&port->left_out, 1);
        return 1;
    }
    if (used + sizeof head + size > BYTES)
        return 0;
    lay(port, end, head, sizeof head);
    lay(port, end + sizeof head, bytes, size);
    atomic_store_explicit(&port->written, end + (uint32_t)sizeof head + size, memory_order_release);
    return 1;
}

/* The next message: its frame and its length; 0 where there is none. It stays. */
static int peek(struct port *port, uint32_t head[2], uint32_t *at)
{
    *at = atomic_load_explicit(&port->read, memory_order_relaxed);
    if (*at == atomic_load_explicit(&port->written, memory_order_acquire))
        return 0;
    lift(port, *at, head, 2 * sizeof *head);
    *at += 2 * sizeof *head;
    return 1;
}

static void drop(struct port *port, uint32_t at, uint32_t size)
{
    atomic_store_explicit(&port->read, at + size, memory_order_release);
}

/* Take the next message whose frame is before `end`: its length, or -1. */
int32_t arpegon_pull(struct port *port, uint32_t end, uint32_t *frame, unsigned char *bytes)
{
    uint32_t head[2], at;
    if (!peek(port, head, &at) || (int32_t)(head[0] - end) >= 0)
        return -1;
    *frame = head[0];
    lift(port, at, bytes, head[1]);
    drop(port, at, head[1]);
    return (int32_t)head[1];
}

/* Whether anything came. */
static int hear(struct relay *relay, struct port *port, void *buffer, uint32_t frame)
{
    uint32_t count = relay->calls.count(buffer);
    for (uint32_t place = 0; place < count; place++) {
        struct event event;
        if (!relay->calls.get(&event, buffer, place)
            && !arpegon_push(port, frame + event.time, event.buffer, (uint32_t)event.size))
            atomic_fetch_add(&port->left_out, 1);
    }
    return count > 0;
}

/* Write what is due, in the order in which it was sent; what is late leaves at once. */
static void say(struct relay *relay, struct port *port, void *buffer, uint32_t frame, uint32_t frames)
{
    uint32_t head[2], at, offset = 0;
    int any = 0;
    relay->calls.clear(buffer);
    while (peek(port, head, &at)) {
        int32_t due = (int32_t)(head[0] - frame);
        if (due >= (int32_t)frames)
            return;
        if (due > (int32_t)offset)
            offset = (uint32_t)due;
        lift(port, at, relay->scratch, head[1]);
        if (relay->calls.write(buffer, offset, relay->scratch, head[1])) {
            if (any)
                return; /* the period is full: the rest leaves with the next one */
            atomic_fetch_add(&port->left_out, 1);
        } else {
            uint32_t place = atomic_load_explicit(&relay->lates, memory_order_relaxed);
            relay->late[place % LATES] = (int32_t)offset - due;
            atomic_store_explicit(&relay->lates, place + 1, memory_order_release);
        }
        drop(port, at, head[1]);
        any = 1;
    }
}

/* -- samples ------------------------------------------------------------------------------------- */

static void copy_in(struct port *port, uint32_t frame, const float *samples, uint32_t frames)
{
    uint32_t place = frame % SAMPLES, first = frames < SAMPLES - place ? frames : SAMPLES - place;
    memcpy(port->samples + place, samples, first * sizeof *samples);
    memcpy(port->samples, samples + first, (frames - first) * sizeof *samples);
}

static void copy_out(const struct port *port, uint32_t frame, float *samples, uint32_t frames)
{
    uint32_t place = frame % SAMPLES, first = frames < SAMPLES - place ? frames : SAMPLES - place;
    memcpy(samples, port->samples + place, first * sizeof *samples);
    memcpy(samples + first, port->samples, (frames - first) * sizeof *samples);
}

/* Have samples sound from a frame on. */
void arpegon_fill(struct port *port, uint32_t frame, const float *samples, uint32_t frames)
{
    if (frame != atomic_load(&port->written)) {
        atomic_store(&port->read, frame);
        atomic_store(&port->written, frame);
    } else if (frame - atomic_load(&port->read) > SAMPLES / 2)
        atomic_store(&port->read, frame - SAMPLES / 4); /* what is older is overwritten soon; no period is longer */
    copy_in(port, frame, samples, frames);
    atomic_store(&port->written, frame + frames);
}

/* Have nothing sound. */
void arpegon_hush(struct port *port) { atomic_store(&port->read, atomic_load(&port->written)); }

/* What was heard from a frame on. */
void arpegon_heard(const struct port *port, uint32_t frame, float *samples, uint32_t frames)
{
    copy_out(port, frame, samples, frames);
}

enum readiness { LACKS, READY, HUSHED };

static enum readiness readiness(struct port *port, uint32_t frame, uint32_t frames)
{
    uint32_t first = atomic_load(&port->read), last = atomic_load(&port->written);
    if (first == last)
        return HUSHED;
    return (int32_t)(frame - first) >= 0 && (int32_t)(last - frame - frames) >= 0 ? READY : LACKS;
}

/* Whether there was what should have been. */
static int sound(struct port *port, float *buffer, uint32_t frame, uint32_t frames)
{
    enum readiness is = readiness(port, frame, frames);
    if (is == READY)
        copy_out(port, frame, buffer, frames);
    else
        memset(buffer, 0, frames * sizeof *buffer);
    return is != LACKS;
}

/* -- waiting for who works, never for long ------------------------------------------------------- */

/* Until the period before is worked on, or patience is over. */
static void wait_until_idle(struct relay *relay, int64_t nanoseconds)
{
    struct pollfd answer = {(int)relay->answer, POLLIN, 0};
    int64_t end = relay->calls.clock() + nanoseconds, left;
    uint64_t many;
    while (atomic_load(&relay->done) != atomic_load(&relay->begun) && (left = end - relay->calls.clock()) > 0) {
        struct timespec patience = {left / 1000000000ll, left % 1000000000ll};
        if (ppoll(&answer, 1, &patience, NULL) <= 0 || read((int)relay->answer, &many, sizeof many) < 0)
            return;
    }
}

/* What sounds, or may begin to, may take a share of this period, too, as with any client that makes its sound in JACK's
 * thread. */
static void wait_for_sound(struct relay *relay, uint32_t frame, uint32_t frames)
{
    if (!atomic_load(&relay->sounds))
        return;
    for (struct port **place = atomic_load(&relay->ports); *place; place++)
        if ((*place)->kind == AUDIO_OUT && readiness(*place, frame, frames) != READY) {
            wait_until_idle(relay, relay->patience * frames);
            return;
        }
}

/* -- the period ---------------------------------------------------------------------------------- */

static void tell(struct relay *relay, uint32_t frame, uint32_t frames, int64_t before, uint32_t since, int64_t after)
{
    uint32_t number = atomic_load(&relay->begun);
    uint64_t one = 1;
    if (number - atomic_load(&relay->done) >= BEATS)
        return; /* nobody works: what is not told seems lost */
    struct beat *beat = &relay->beats[number % BEATS];
    beat->cycle = atomic_load(&relay->cycles);
    beat->lost = relay->lost;
    relay->lost = 0;
    relay->told = frame;
    beat->frame = frame;
    beat->frames = frames;
    beat->before = before;
    beat->since = since;
    beat->after = after;
    beat->state = relay->calls.transport(relay->client, beat->position);
    atomic_store(&relay->begun, number + 1);
    if (write((int)relay->signal, &one, sizeof one) < 0)
        return; /* it is full of them already */
}

/* The callback of somebody else, which is called as long as the gate is open. */
struct gate {
    int (*call)(uint32_t frames, void *about);
    _Atomic int32_t open, inside;
};

int arpegon_gate(uint32_t frames, void *whole)
{
    struct gate *gate = whole;
    int answer = 0;
    atomic_store(&gate->inside, 1);
    if (atomic_load(&gate->open))
        answer = gate->call(frames, gate);
    atomic_store(&gate->inside, 0);
    return answer;
}

/* JACK's process callback. */
int arpegon_cycle(uint32_t frames, void *whole)
{
    struct relay *relay = whole;
    int64_t before = relay->calls.clock();
    uint32_t since = relay->calls.since(relay->client);
    int64_t after = relay->calls.clock();
    uint32_t frame = relay->calls.last_frame(relay->client);
    uint32_t ready = relay->expected; /* where the server skipped periods, what was ready sounds now */
    int whole_sound = 1, came = 0;
    wait_for_sound(relay, ready, frames);
    for (struct port **place = atomic_load(&relay->ports); *place; place++) {
        struct port *port = *place;
        void *buffer = relay->calls.buffer(port->jack, frames);
        if (port->kind == MIDI_IN)
            came |= hear(relay, port, buffer, frame);
        else if (port->kind == MIDI_OUT)
            say(relay, port, buffer, frame, frames);
        else if (port->kind == AUDIO_IN)
            copy_in(port, frame, buffer, frames);
        else
            whole_sound &= sound(port, buffer, ready, frames);
    }
    if (!whole_sound)
        atomic_fetch_add(&relay->missing, 1);
    if (frame != relay->expected)
        relay->lost = 1;
    relay->expected = frame + frames;
    atomic_store(&relay->called, after);
    atomic_fetch_add(&relay->cycles, 1);
    if (came || relay->lost || frame - relay->told >= relay->pause || (int32_t)(frame - relay->wake) >= 0)
        tell(relay, frame, frames, before, since, after);
    atomic_store(&relay->frame, frame); /* after it was told: what came up to this one is no secret */
    if (relay->free_run)
        wait_until_idle(relay, PATIENCE_NS);
    return 0;
}
