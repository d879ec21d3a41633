/* Larkfell gondola: service-brake controller. Made up for the demonstration; no real machine is built this way. */
#ifndef GONDOLA_H
#define GONDOLA_H

#include <stdbool.h>
#include <stdint.h>

/* Pressures in tenths of a bar, speeds in mm/s, times in ms, wear in micrometres. */
#define PRESSURE_MIN_DBAR 5
#define PRESSURE_MAX_DBAR 160
#define PRESSURE_JUMP_DBAR 30
#define PRESSURE_DISAGREE_DBAR 8
#define DISAGREE_LIMIT_MS 200
#define RELEASE_DBAR 60
#define APPLY_TIME_MS 120
#define WIND_LIMIT_KMH 70
#define WIND_STOP_KMH 90
#define WIND_SPEED_MMPS 2500
#define RATED_SPEED_MMPS 6000
#define EVAC_SPEED_MMPS 1200
#define MAINT_SPEED_MMPS 800
#define OVERSPEED_1_PCT 110
#define OVERSPEED_2_PCT 120
#define RAMP_MMPS2 400
#define STANDSTILL_MMPS 50
#define PAD_MIN_UM 2000
#define WATCHDOG_MS 100
#define CYCLE_MS 10

typedef enum { MODE_OFF, MODE_STANDBY, MODE_RUN, MODE_EVAC, MODE_MAINT, MODE_FAULT } drive_mode_t;
typedef enum { CHANNEL_NONE, CHANNEL_A, CHANNEL_B, CHANNEL_BOTH } channel_t;
typedef enum { ALARM_STOP_CHAIN = 0, ALARM_SENSOR = 1, ALARM_WIND = 2, ALARM_PRESSURE = 3, ALARM_OVERSPEED = 4, ALARM_DOOR = 5, ALARM_WEAR = 6, ALARM_WATCHDOG = 7 } alarm_t;

typedef struct {
    int32_t ch_a_dbar, ch_b_dbar;
    bool stop_chain_open, doors_locked, run_command, evacuate, maintenance, mains_ok, key_on, ack, reset, shutdown;
    int32_t wind_kmh, rope_mmps, motor_mmps, command_mmps, pad_um, temp_c, stuck_ms;
} inputs_t;

typedef struct {
    drive_mode_t mode;
    channel_t selected;
    int32_t last_a_dbar, last_b_dbar, disagree_ms, pressure_dbar, filtered_dbar;
    bool a_ok, b_ok;
    bool relay_closed;
    bool brake_released;
    int32_t apply_ms;
    int32_t limit_mmps, setpoint_mmps;
    bool overspeed_1, overspeed_2, standstill, slip;
    int32_t slip_ms;
    uint32_t alarms, unacknowledged;
    int32_t horn_ms;
    bool horn;
    int32_t wear_um, stored_wear_um;
    uint16_t stored_sum;
    int32_t watchdog_ms;
    bool outputs_dead;
    int32_t self_test;
    uint32_t events;
} state_t;

/* sensors.c */
bool sensor_in_range(int32_t dbar);
bool sensor_steady(int32_t now_dbar, int32_t last_dbar);
int32_t sensor_compensate(int32_t dbar, int32_t temp_c);
void sensor_update(state_t *s, const inputs_t *in);
/* brake.c */
bool brake_may_release(const state_t *s, const inputs_t *in);
void brake_update(state_t *s, const inputs_t *in);
bool brake_applied_in_time(const state_t *s);
int32_t brake_self_test(state_t *s, const inputs_t *in);
void brake_wear_update(state_t *s, const inputs_t *in);
/* speed.c */
int32_t speed_limit(const state_t *s, const inputs_t *in);
int32_t speed_ramp(int32_t setpoint, int32_t wanted);
void speed_supervise(state_t *s, const inputs_t *in);
/* alarm.c */
void alarm_latch(state_t *s, alarm_t alarm);
void alarm_acknowledge(state_t *s);
bool alarm_reset(state_t *s, const inputs_t *in);
int32_t alarm_priority(const state_t *s);
void alarm_horn(state_t *s);
/* interlock.c */
drive_mode_t mode_next(const state_t *s, const inputs_t *in);
bool interlock_doors(state_t *s, const inputs_t *in);
bool interlock_stop_chain(state_t *s, const inputs_t *in);
/* store.c */
uint16_t store_checksum(int32_t value);
void store_shutdown(state_t *s, const inputs_t *in);
bool store_restore(state_t *s);
/* watchdog.c */
void watchdog_feed(state_t *s);
void watchdog_update(state_t *s, const inputs_t *in);
/* main.c */
void controller_init(state_t *s);
void controller_step(state_t *s, const inputs_t *in);

#endif
