/* The same scenes as bare loops over arrays, exact, and nothing else: what `make bench` holds the kernel against.

   limit swarm FILE, limit crowd FILE: prints the touches counted and the seconds taken. */

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#define TOLERANCE 1e-6

static double now(void) {
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return t.tv_sec + 1e-9 * t.tv_nsec;
}

static double *read_all(const char *path, long *count) {
    FILE *file = fopen(path, "rb");
    if (!file) exit(2);
    fseek(file, 0, SEEK_END);
    *count = ftell(file) / 8;
    rewind(file);
    double *data = malloc(*count * 8 + 8);
    if (fread(data, 8, *count, file) != (size_t)*count) exit(2);
    fclose(file);
    return data;
}

static double to_rectangle(double x, double y, double wide, double high) {
    double dx = fmax(fabs(x) - wide, 0), dy = fmax(fabs(y) - high, 0);
    return sqrt(dx * dx + dy * dy);
}

static double to_segment(double px, double py, double x, double y, double dx, double dy) {
    double square = dx * dx + dy * dy, along = square > 0 ? ((px - x) * dx + (py - y) * dy) / square : 0;
    along = along < 0 ? 0 : along > 1 ? 1 : along;
    double ex = px - x - along * dx, ey = py - y - along * dy;
    return sqrt(ex * ex + ey * ey);
}

/* Whether a disc whose centre moves from (x, y) by (dx, dy) comes to overlap a rectangle about the origin. */
static int swept_disc_meets(double x, double y, double dx, double dy, double radius, double wide, double high) {
    double begin = 0, end = 1, reach = radius - TOLERANCE;
    double place[2] = {x, y}, way[2] = {dx, dy}, half[2] = {wide, high};
    for (int axis = 0; axis < 2; axis++) {
        if (way[axis] == 0) {
            if (fabs(place[axis]) > half[axis]) { begin = 2; break; }
            continue;
        }
        double one = (-half[axis] - place[axis]) / way[axis], other = (half[axis] - place[axis]) / way[axis];
        begin = fmax(begin, fmin(one, other));
        end = fmin(end, fmax(one, other));
    }
    if (begin <= end) return 1; /* the centre itself comes in */
    if (to_rectangle(x, y, wide, high) < reach || to_rectangle(x + dx, y + dy, wide, high) < reach) return 1;
    for (int corner = 0; corner < 4; corner++) {
        double cx = corner & 1 ? wide : -wide, cy = corner & 2 ? high : -high;
        if (to_segment(cx, cy, x, y, dx, dy) < reach) return 1;
    }
    return 0;
}

/* frames, targets, shots; targets' half sizes, shots' radius; then targets (x, y, facing; frames * targets * 3), then shots
   (born, end, x, y, vx, vy), sorted by when they are born. */
static void swarm(const char *path) {
    long size, touches = 0;
    double *data = read_all(path, &size);
    long frames = data[0], targets = data[1], shots = data[2];
    double wide = data[3], high = data[4], radius = data[5], *where = data + 6, *all = where + frames * targets * 3;
    double *shot = malloc(shots * 6 * sizeof(double) + 8);
    long alive = 0, next = 0;
    double start = now();
    for (long frame = 0; frame < frames; frame++) {
        for (long k = 0; k < alive;) {
            double *own = shot + 6 * k;
            if (own[1] <= frame) {
                memcpy(own, shot + 6 * --alive, 6 * sizeof(double));
                continue;
            }
            own[2] += own[4] * (1.0 / 60);
            own[3] += own[5] * (1.0 / 60);
            k++;
        }
        for (; next < shots && all[6 * next] <= frame; next++) memcpy(shot + 6 * alive++, all + 6 * next, 6 * sizeof(double));
        double *here = where + frame * targets * 3, *before = frame ? here - targets * 3 : here;
        for (long k = 0; k < alive; k++) {
            double *own = shot + 6 * k;
            int fresh = own[0] == frame;
            double vx = fresh ? 0 : own[4] * (1.0 / 60), vy = fresh ? 0 : own[5] * (1.0 / 60);
            for (long j = 0; j < targets; j++) {
                double x = own[2] - here[3 * j], y = own[3] - here[3 * j + 1];
                if (fabs(x) > wide + radius + 8 || fabs(y) > high + radius + 8) continue;
                int goes_on = here[3 * j + 2] == before[3 * j + 2]; /* one that turns round has no way behind it */
                double dx = vx - (goes_on ? here[3 * j] - before[3 * j] : 0);
                double dy = vy - (goes_on ? here[3 * j + 1] - before[3 * j + 1] : 0);
                touches += swept_disc_meets(x - dx, y - dy, dx, dy, radius, wide, high);
            }
        }
    }
    printf("%ld %.6f\n", touches, now() - start);
}

/* frames, keepers, hornets; then x, y, facing for each actor of each frame, keepers first. */
static void crowd(const char *path) {
    long size, touches = 0;
    double *data = read_all(path, &size);
    long frames = data[0], keepers = data[1], hornets = data[2];
    double start = now();
    for (long frame = 0; frame < frames; frame++) {
        double *keeper = data + 3 + frame * (keepers + hornets) * 3, *hornet = keeper + keepers * 3;
        for (long i = 0; i < keepers; i++) {
            double x = keeper[3 * i], y = keeper[3 * i + 1], facing = keeper[3 * i + 2];
            for (long j = 0; j < hornets; j++) {
                double hx = hornet[3 * j], hy = hornet[3 * j + 1];
                if (fabs(hx - x) > 40 || fabs(hy - y) > 60) continue;
                if (7 + 7 - fabs(x + 14 * facing - hx) > TOLERANCE && 3 + 5 - fabs(y - 18 - hy) > TOLERANCE) touches++;
                double apart = to_rectangle(hx + 9 * hornet[3 * j + 2] - x, hy + 3 - (y - 15), 8, 15);
                if (apart < 5 - TOLERANCE) touches++;
            }
        }
    }
    printf("%ld %.6f\n", touches, now() - start);
}

int main(int count, char **arguments) {
    if (count == 3 && !strcmp(arguments[1], "swarm")) swarm(arguments[2]);
    else if (count == 3 && !strcmp(arguments[1], "crowd")) crowd(arguments[2]);
    else return 2;
    return 0;
}
