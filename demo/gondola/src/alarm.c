#include "gondola.h"

/* @req BRK-028 */
void alarm_latch(state_t *s, alarm_t alarm)
{
    uint32_t bit = 1u << alarm;

    if (!(s->alarms & bit)) {
        s->alarms |= bit;
        s->unacknowledged |= bit;
        s->events++;
    }
}

/* @req BRK-029 */
void alarm_acknowledge(state_t *s)
{
    s->unacknowledged = 0;
    s->horn = false;
    s->horn_ms = 0;
}

/* An alarm goes only when its cause is gone, it was acknowledged and the rope stands.
 * @req BRK-030 */
bool alarm_reset(state_t *s, const inputs_t *in)
{
    if (s->unacknowledged != 0 || !s->standstill)
        return false;
    if (in->stop_chain_open || s->selected == CHANNEL_NONE)
        return false;
    if (in->wind_kmh > WIND_LIMIT_KMH)
        s->alarms &= 1u << ALARM_WIND;
    else
        s->alarms = 0;
    s->overspeed_2 = false;
    s->slip = false;
    s->slip_ms = 0;
    return true;
}

/* The lamp of the highest alarm is lit: lower number first.
 * @req BRK-031 */
int32_t alarm_priority(const state_t *s)
{
    for (int32_t i = 0; i < 8; i++)
        if (s->alarms & (1u << i))
            return i;
    return -1;
}

/* Half a second on, half a second off; for stop chain and overspeed without pause.
 * @req BRK-032 */
void alarm_horn(state_t *s)
{
    uint32_t urgent = (1u << ALARM_STOP_CHAIN) | (1u << ALARM_OVERSPEED);

    if (s->unacknowledged == 0) {
        s->horn = false;
        return;
    }
    s->horn_ms += CYCLE_MS;
    if (s->unacknowledged & urgent)
        s->horn = true;
    else
        s->horn = s->horn_ms % 1000 < 500;
    if (s->horn_ms > 600000)
        s->horn_ms = 0;
}
