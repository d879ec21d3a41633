/* The rig: drives the controller from a case of cases.txt. Not part of the product, not measured.
 * Usage: rig cases.txt C-018        exit 0: all checks hold, 1: one does not, 2: bad input. */
#include "gondola.h"
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

static int set(inputs_t *in, const char *name, int value)
{
#define NUMBER(field) if (!strcmp(name, #field)) { in->field = value; return 0; }
#define FLAG(field) if (!strcmp(name, #field)) { in->field = value != 0; return 0; }
    NUMBER(ch_a_dbar) NUMBER(ch_b_dbar) NUMBER(wind_kmh) NUMBER(rope_mmps) NUMBER(motor_mmps) NUMBER(command_mmps)
    NUMBER(pad_um) NUMBER(temp_c) NUMBER(stuck_ms)
    FLAG(stop_chain_open) FLAG(doors_locked) FLAG(run_command) FLAG(evacuate) FLAG(maintenance) FLAG(mains_ok)
    FLAG(key_on) FLAG(ack) FLAG(reset) FLAG(shutdown)
    return 1;
}

static int get(state_t *s, const char *name, int *value)
{
#define STATE(field) if (!strcmp(name, #field)) { *value = (int)s->field; return 0; }
    STATE(mode) STATE(selected) STATE(pressure_dbar) STATE(relay_closed) STATE(brake_released) STATE(limit_mmps) STATE(setpoint_mmps)
    STATE(overspeed_1) STATE(overspeed_2) STATE(standstill) STATE(slip) STATE(alarms) STATE(unacknowledged) STATE(horn) STATE(wear_um)
    STATE(stored_wear_um) STATE(outputs_dead) STATE(self_test) STATE(events)
    if (!strcmp(name, "priority")) { *value = alarm_priority(s); return 0; }
    if (!strcmp(name, "in_time")) { *value = brake_applied_in_time(s); return 0; }
    if (!strcmp(name, "restored")) { *value = store_restore(s); return 0; }
    return 1;
}

int main(int argc, char **argv)
{
    static state_t s;
    static inputs_t in;
    char line[400], name[64];
    int value, found, active = 0, seen = 0, bad = 0, number = 0;
    FILE *file = argc == 3 ? fopen(argv[1], "r") : NULL;

    if (!file)
        return 2;
    controller_init(&s);
    while (fgets(line, sizeof line, file)) {
        number++;
        if (sscanf(line, "case %63s", name) == 1) {
            active = !strcmp(name, argv[2]);
            seen |= active;
        }
        if (!active)
            continue;
        if (!strncmp(line, "start", 5)) {
            in.ch_a_dbar = in.ch_b_dbar = 92;
            in.doors_locked = in.mains_ok = in.key_on = true;
            in.pad_um = 6000;
            in.temp_c = 15;
            for (int i = 0; i < 3; i++)
                controller_step(&s, &in);
        } else if (!strncmp(line, "init", 4))
            controller_init(&s);
        else if (sscanf(line, "set %63s %d", name, &value) == 2) {
            if (set(&in, name, value)) { fprintf(stderr, "line %d: no input %s\n", number, name); return 2; }
        } else if (sscanf(line, "corrupt %d", &value) == 1)
            s.stored_sum ^= (uint16_t)value;
        else if (sscanf(line, "tick %d", &value) == 1)
            for (int t = 0; t < value; t += CYCLE_MS)
                controller_step(&s, &in);
        else if (sscanf(line, "check %63s %d", name, &value) == 2) {
            if (get(&s, name, &found)) { fprintf(stderr, "line %d: no output %s\n", number, name); return 2; }
            if (found != value) { printf("%s line %d: %s is %d, not %d\n", argv[2], number, name, found, value); bad = 1; }
        }
    }
    fclose(file);
    return seen ? bad : 2;
}
