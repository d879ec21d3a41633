#include "gondola.h"

/* @req BRK-007, BRK-033 */
bool interlock_doors(state_t *s, const inputs_t *in)
{
    if (in->doors_locked)
        return true;
    if (!s->standstill)
        alarm_latch(s, ALARM_DOOR);
    return false;
}

/* @req BRK-004, BRK-034 */
bool interlock_stop_chain(state_t *s, const inputs_t *in)
{
    if (!in->stop_chain_open)
        return true;
    alarm_latch(s, ALARM_STOP_CHAIN);
    return false;
}

/* @req BRK-035 */
static bool may_start(const state_t *s, const inputs_t *in)
{
    return in->key_on && in->mains_ok && in->doors_locked && !in->stop_chain_open && s->alarms == 0;
}

/* Evacuation needs neither mains nor a clear alarm list, only the key and a closed stop chain.
 * @req BRK-015, BRK-036 */
static bool may_evacuate(const inputs_t *in)
{
    return in->key_on && in->evacuate && !in->stop_chain_open && !in->run_command;
}

/* @req BRK-035, BRK-036, BRK-037 */
drive_mode_t mode_next(const state_t *s, const inputs_t *in)
{
    if (s->outputs_dead)
        return MODE_FAULT;
    switch (s->mode) {
    case MODE_OFF:
        return in->key_on ? MODE_STANDBY : MODE_OFF;
    case MODE_STANDBY:
        if (!in->key_on)
            return MODE_OFF;
        if (may_evacuate(in))
            return MODE_EVAC;
        if (in->maintenance && s->standstill)
            return MODE_MAINT;
        return in->run_command && may_start(s, in) ? MODE_RUN : MODE_STANDBY;
    case MODE_RUN:
        if (!in->key_on || !in->mains_ok)
            return MODE_STANDBY;
        if (s->overspeed_2 || s->selected == CHANNEL_NONE)
            return MODE_FAULT;
        return in->run_command ? MODE_RUN : MODE_STANDBY;
    case MODE_EVAC:
        if (!in->evacuate && s->standstill)
            return MODE_STANDBY;
        return MODE_EVAC;
    case MODE_MAINT:
        return in->maintenance ? MODE_MAINT : MODE_STANDBY;
    default:
        return in->reset && s->alarms == 0 ? MODE_STANDBY : MODE_FAULT;
    }
}
