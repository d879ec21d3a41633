#include "gondola.h"

/* The service brake is held open by pressure; without it, springs close it. */

/* @req BRK-007 */
bool brake_may_release(const state_t *s, const inputs_t *in)
{
    bool pressure = s->selected != CHANNEL_NONE && s->pressure_dbar >= RELEASE_DBAR;
    bool held = in->stop_chain_open || !in->doors_locked;

    if (held)
        return false;
    if (!(pressure && in->run_command))
        return false;

    if (in->wind_kmh > WIND_LIMIT_KMH && !in->evacuate)
        return in->rope_mmps < WIND_SPEED_MMPS;
    return true;
}

/* The relay drops at once when anything asks for the brake.
 * @req BRK-004, BRK-005 */
static bool relay_must_open(const state_t *s, const inputs_t *in)
{
    if (in->stop_chain_open)
        return true;
    if (s->overspeed_2 || s->slip)
        return true;
    if (s->mode == MODE_FAULT || s->mode == MODE_OFF)
        return true;
    return s->outputs_dead;
}

/* @req BRK-004, BRK-006 */
void brake_update(state_t *s, const inputs_t *in)
{
    bool was_closed = s->relay_closed;

    if (relay_must_open(s, in))
        s->relay_closed = false;
    else
        s->relay_closed = brake_may_release(s, in);

    if (was_closed && !s->relay_closed)
        s->apply_ms = 0;
    if (!s->relay_closed) {
        s->apply_ms += CYCLE_MS;
        if (s->apply_ms >= APPLY_TIME_MS - 20 - in->stuck_ms)
            s->brake_released = false;
        if (in->stuck_ms > 0 && s->apply_ms < APPLY_TIME_MS + in->stuck_ms)
            s->brake_released = true;
    } else {
        s->apply_ms = 0;
        s->brake_released = true;
    }
}

/* @req BRK-004 */
bool brake_applied_in_time(const state_t *s)
{
    return !s->brake_released || s->apply_ms <= APPLY_TIME_MS;
}

/* Before the first start of a day: close, watch the pressure fall, open, watch it rise.
 * @req BRK-019 */
int32_t brake_self_test(state_t *s, const inputs_t *in)
{
    switch (s->self_test) {
    case 0:
        if (s->mode == MODE_STANDBY && s->standstill)
            s->self_test = 1;
        break;
    case 1:
        if (s->pressure_dbar < RELEASE_DBAR)
            s->self_test = 2;
        break;
    case 2:
        if (s->pressure_dbar >= RELEASE_DBAR)
            s->self_test = 3;
        else if (in->reset)
            s->self_test = 0;
        break;
    default:
        break;
    }
    return s->self_test;
}

/* @req BRK-020 */
void brake_wear_update(state_t *s, const inputs_t *in)
{
    if (in->pad_um <= 0)
        return;
    if (s->wear_um == 0 || in->pad_um < s->wear_um)
        s->wear_um = in->pad_um;
    if (s->wear_um < PAD_MIN_UM)
        alarm_latch(s, ALARM_WEAR);
}
