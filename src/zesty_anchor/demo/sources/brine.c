/* brine: the height of a tide from its harmonic parts.
 *
 *   brine HOUR AMPLITUDE PERIOD [AMPLITUDE PERIOD ...]   the height at HOUR, in metres
 *   brine --mean                                         the mean that it was built with, in metres
 *   brine --version                                      print the version
 */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#ifndef BRINE_MEAN
#define BRINE_MEAN 1.50
#endif
#ifndef BRINE_VERSION
#define BRINE_VERSION "unknown"
#endif

static double number(const char *text)
{
    char *end;
    double value = strtod(text, &end);
    if (end == text || *end != '\0') {
        fprintf(stderr, "brine: '%s' is no number\n", text);
        exit(2);
    }
    return value;
}

int main(int count, char **words)
{
    const double whole_turn = 6.283185307179586;
    double height = 0.0;
    int i;

    if (count == 2 && strcmp(words[1], "--version") == 0) {
        printf("brine %s\n", BRINE_VERSION);
        return 0;
    }
    if (count == 2 && strcmp(words[1], "--mean") == 0) {
        printf("%.2f m\n", (double)BRINE_MEAN);
        return 0;
    }
    if (count < 4 || count % 2 != 0) {
        fprintf(stderr, "brine: say HOUR, then AMPLITUDE and PERIOD of each part\n");
        return 2;
    }
    for (i = 2; i + 1 < count; i += 2) {
        double period = number(words[i + 1]);
        if (period == 0.0) {
            fprintf(stderr, "brine: a period of 0 hours has no height\n");
            return 2;
        }
        height += number(words[i]) * cos(whole_turn * number(words[1]) / period);
    }
    printf("%.2f m\n", height);
    return 0;
}
