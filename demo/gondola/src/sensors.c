#include "gondola.h"

/* Two pressure channels watch the release pressure of the service brake. */

/* @req BRK-008 */
bool sensor_in_range(int32_t dbar)
{
    return dbar >= PRESSURE_MIN_DBAR && dbar <= PRESSURE_MAX_DBAR;
}

/* A channel that jumps further in one cycle than a valve can move is not believed.
 * @req BRK-010 */
bool sensor_steady(int32_t now_dbar, int32_t last_dbar)
{
    int32_t jump = now_dbar - last_dbar;

    if (jump < 0)
        jump = -jump;
    return last_dbar == 0 || jump <= PRESSURE_JUMP_DBAR;
}

/* Oil is stiffer in the cold: the transmitter reads low below -10 degrees.
 * @req BRK-011 */
int32_t sensor_compensate(int32_t dbar, int32_t temp_c)
{
    if (temp_c < -25)
        return dbar + 4;
    if (temp_c < -10)
        return dbar + 2;
    if (temp_c > 60)
        return dbar - 1;
    return dbar;
}

/* Smooths the pressure for the display in the cabin of the operator. */
static int32_t filter_step(int32_t y, int32_t x)
{
    if (y == 0)
        return x;
    return y + ((x - y) >> 3);
}

/* @req BRK-009 */
static channel_t select_channel(bool a_ok, bool b_ok)
{
    if (a_ok && b_ok)
        return CHANNEL_BOTH;
    if (a_ok)
        return CHANNEL_A;
    if (b_ok)
        return CHANNEL_B;
    return CHANNEL_NONE;
}

/* @req BRK-013 */
static void watch_disagreement(state_t *s, int32_t a_dbar, int32_t b_dbar)
{
    int32_t gap = a_dbar - b_dbar;

    if (gap < 0)
        gap = -gap;
    if (s->a_ok && s->b_ok && gap > PRESSURE_DISAGREE_DBAR)
        s->disagree_ms += CYCLE_MS;
    else
        s->disagree_ms = 0;
    if (s->disagree_ms >= DISAGREE_LIMIT_MS) {
        s->a_ok = false;
        s->b_ok = false;
        alarm_latch(s, ALARM_SENSOR);
    }
}

/* @req BRK-009, BRK-018 */
void sensor_update(state_t *s, const inputs_t *in)
{
    int32_t a = sensor_compensate(in->ch_a_dbar, in->temp_c);
    int32_t b = sensor_compensate(in->ch_b_dbar, in->temp_c);

    s->a_ok = sensor_in_range(in->ch_a_dbar) && sensor_steady(in->ch_a_dbar, s->last_a_dbar);
    s->b_ok = sensor_in_range(in->ch_b_dbar) && sensor_steady(in->ch_b_dbar, s->last_b_dbar);
    watch_disagreement(s, a, b);
    s->selected = select_channel(s->a_ok, s->b_ok);
    switch (s->selected) {
    case CHANNEL_BOTH:
        s->pressure_dbar = a < b ? a : b;
        break;
    case CHANNEL_A:
        s->pressure_dbar = a;
        alarm_latch(s, ALARM_SENSOR);
        break;
    case CHANNEL_B:
        s->pressure_dbar = b;
        alarm_latch(s, ALARM_SENSOR);
        break;
    default:
        s->pressure_dbar = 0;
        alarm_latch(s, ALARM_PRESSURE);
        break;
    }
    s->filtered_dbar = filter_step(s->filtered_dbar, s->pressure_dbar);
    s->last_a_dbar = in->ch_a_dbar;
    s->last_b_dbar = in->ch_b_dbar;
}
