#include "gondola.h"

/* @req BRK-012, BRK-014 */
static int32_t wind_limit(int32_t wind_kmh, bool evacuate)
{
    if (wind_kmh >= WIND_STOP_KMH)
        return evacuate ? EVAC_SPEED_MMPS : 0;
    if (wind_kmh > WIND_LIMIT_KMH)
        return WIND_SPEED_MMPS;
    return RATED_SPEED_MMPS;
}

/* The evacuation drive overrides the wind limit, never the doors.
 * @req BRK-012, BRK-015, BRK-016 */
int32_t speed_limit(const state_t *s, const inputs_t *in)
{
    int32_t limit = wind_limit(in->wind_kmh, in->evacuate);

    if (!in->doors_locked)
        return 0;
    if (s->mode == MODE_EVAC)
        return limit < EVAC_SPEED_MMPS ? limit : EVAC_SPEED_MMPS;
    if (s->mode == MODE_MAINT)
        return limit < MAINT_SPEED_MMPS ? limit : MAINT_SPEED_MMPS;
    if (s->mode != MODE_RUN)
        return 0;
    if (s->selected == CHANNEL_A || s->selected == CHANNEL_B)
        return limit / 2;
    return limit;
}

/* No more than 0.4 m/s2, upwards and downwards.
 * @req BRK-023 */
int32_t speed_ramp(int32_t setpoint, int32_t wanted)
{
    int32_t step = RAMP_MMPS2 * CYCLE_MS / 1000;

    if (wanted > setpoint + step)
        return setpoint + step;
    if (wanted < setpoint - step)
        return setpoint - step;
    return wanted;
}

/* @req BRK-024, BRK-025 */
static void watch_overspeed(state_t *s, int32_t rope_mmps)
{
    int32_t rated = s->mode == MODE_EVAC ? EVAC_SPEED_MMPS : RATED_SPEED_MMPS;

    s->overspeed_1 = rope_mmps * 100 > rated * OVERSPEED_1_PCT;
    if (rope_mmps * 100 > rated * OVERSPEED_2_PCT)
        s->overspeed_2 = true;
    if (s->overspeed_1 || s->overspeed_2)
        alarm_latch(s, ALARM_OVERSPEED);
}

/* Rope and motor must agree: half a second of slip closes the brake.
 * @req BRK-027 */
static void watch_slip(state_t *s, const inputs_t *in)
{
    int32_t gap = in->motor_mmps - in->rope_mmps;

    if (gap < 0)
        gap = -gap;
    if (gap > 400 && in->motor_mmps > STANDSTILL_MMPS)
        s->slip_ms += CYCLE_MS;
    else if (s->slip_ms > 0)
        s->slip_ms -= CYCLE_MS;
    if (s->slip_ms >= 500)
        s->slip = true;
}

/* @req BRK-017 */
static bool at_standstill(int32_t rope_mmps, int32_t motor_mmps)
{
    return rope_mmps < STANDSTILL_MMPS && motor_mmps < STANDSTILL_MMPS;
}

/* @req BRK-012, BRK-023 */
void speed_supervise(state_t *s, const inputs_t *in)
{
    int32_t wanted;

    s->limit_mmps = speed_limit(s, in);
    wanted = in->command_mmps < s->limit_mmps ? in->command_mmps : s->limit_mmps;
    if (!in->run_command && !in->evacuate)
        wanted = 0;
    s->setpoint_mmps = speed_ramp(s->setpoint_mmps, wanted);
    watch_overspeed(s, in->rope_mmps);
    watch_slip(s, in);
    s->standstill = at_standstill(in->rope_mmps, in->motor_mmps);
    if (in->wind_kmh > WIND_LIMIT_KMH)
        alarm_latch(s, ALARM_WIND);
}
