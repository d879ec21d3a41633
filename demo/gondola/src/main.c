#include "gondola.h"
#include <string.h>

/* @req BRK-001 */
void controller_init(state_t *s)
{
    memset(s, 0, sizeof *s);
    s->mode = MODE_OFF;
    s->standstill = true;
    s->stored_sum = store_checksum(0);
}

/* One cycle of 10 ms: read, judge, act, in this order.
 * @req BRK-002, BRK-003 */
void controller_step(state_t *s, const inputs_t *in)
{
    if (in->ack)
        alarm_acknowledge(s);
    if (in->reset)
        alarm_reset(s, in);
    sensor_update(s, in);
    interlock_stop_chain(s, in);
    interlock_doors(s, in);
    speed_supervise(s, in);
    s->mode = mode_next(s, in);
    brake_self_test(s, in);
    brake_update(s, in);
    brake_wear_update(s, in);
    alarm_horn(s);
    store_shutdown(s, in);
    watchdog_feed(s);
    watchdog_update(s, in);
}
