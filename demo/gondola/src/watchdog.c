#include "gondola.h"

/* @req BRK-026 */
void watchdog_feed(state_t *s)
{
    s->watchdog_ms = 0;
}

/* @req BRK-026 */
void watchdog_update(state_t *s, const inputs_t *in)
{
    s->watchdog_ms += CYCLE_MS + in->stuck_ms;
    if (s->watchdog_ms > WATCHDOG_MS) {
        s->outputs_dead = true;
        s->relay_closed = false;
        alarm_latch(s, ALARM_WATCHDOG);
    }
}
