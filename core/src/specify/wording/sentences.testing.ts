/**
 * Sentences made up for this test, each with the rules that shall find something in it, in reading order. They were judged by reading the
 * sentence, before the rules were run on them.
 */
export const faulty = `
vague: The pump shall start fast when the tank is empty.
vague: The display shall be readable and show a sufficient number of alarms at 2 m distance or less than that.
vague: The controller shall respond quickly to a request of the operator.
vague: The housing shall withstand typical loads.
vague: The valve shall close smoothly.
vague: The system shall have an adequate reserve of memory.
vague: The menu shall be easy to reach.
vague: The operator shall find the stop button easily.
vague: The filter shall remove large particles.
vague: The heater shall use minimal energy.
vague: The driver shall send the message promptly.
vague: The unit shall keep several entries of the log.
vague: The log shall hold some messages of the last run.
vague: The unit shall stay reliable in service.
vague: The motor shall turn slowly during maintenance.
vague: The fan shall make low noise.
vague: The network shall be robust against errors of a node.
vague: The seat shall have a user-friendly buckle.
vague: The controller shall read the sensor periodically.
vague: The gate shall open immediately after the signal.
noShall: The brake holds the cabin.
noShall: Opening of the door.
noShall: The speed is limited to at most 2.5 m/s.
noShall: Two channels read the pressure.
noShall: Pressure between 2 and 16 bar.
noShall: The pump starts when the level falls below 20 mm.
noShall,weak: The brake should hold the cabin.
noShall,weak: The operator may reset the alarm.
noShall,weak: The pump will start at the first request.
noShall,weak: The controller could store the event.
noShall,weak: The lamp might light up.
noShall,weak: The sensor can detect a person.
noShall,weak: It is desirable that the door opens inwards.
noShall,weak: Preferably the cable leaves the box below.
noShall,weak: The display would show the alarm.
noShall,weak: The supplier ought to test each unit.
weak: The lamp shall preferably have a green lens.
weak: The controller shall be capable of the second mode.
several: The pump shall stop. The valve shall close.
several: The door shall lock and the lamp shall light up.
several: The unit shall store the event, and it shall send the event.
several,several: The pump shall start, the valve shall open and the horn shall sound.
several: The controller shall stop the pump as well as the fan.
several: The log shall hold not only errors but also warnings.
several: The lamp shall light up and also blink.
andOr: The horn and/or the lamp shall warn the operator.
andOr: The unit shall store the event in memory and / or in the log.
andOr: The pump shall start on request and/or on overflow.
noUnit: The pump shall stop within 20.
noUnit: The speed shall stay below 2.5 when the door is open.
noUnit: The pressure shall be at least 6.
noUnit: The temperature shall not exceed 70.
noUnit: The horn shall sound for 5, then stop.
noUnit: The pump shall run for 30 and then pause.
noUnit: The force shall be less than 250 at the lever.
noUnit: The brake shall close within 120 after the request.
noTolerance: The cycle shall last for 10 ms.
noTolerance: The pump shall deliver a flow of 5 l/min.
noTolerance: The supply voltage shall be 24 V.
noTolerance: The controller shall send the state every 100 ms.
noTolerance: The display shall have a height of 40 mm.
noTolerance: The horn shall sound for 3 seconds.
noTolerance: The lever shall release the brake at 6.0 bar.
noTolerance: The timer shall end after 20 minutes.
noTolerance: The heater shall keep the oil at 40 °C.
passive: The brake shall be applied.
passive: The alarm shall be shown on the display.
passive: The event shall be stored in the log.
passive: The door shall be locked while the cabin moves.
passive: The message shall be sent again after a loss.
passive: All outputs shall be de-energised after start.
passive: The wear estimate shall be kept over a shutdown.
passive: The speed shall be read in each cycle.
passive: The limit shall automatically be reduced in wind.
passive: The result shall only be written after the check.
passive: The cable shall be laid below the floor.
passive: A fault shall be reported to the operator.
passive: The valve shall be driven in both directions.
passive: The key shall be taken from the store.
term: The controller shall send a frame to the XCU.
term: The QRT shall hold the last value.
term: The unit shall store the event in the NVM.
term,term: The HMI shall show the state of the PSU.
term: The driver shall use the SPI of the board.
term: The log shall hold the number of DTCs.
term,term: Mode RUN shall end when the key turns to OFF. The RUN key is part of the panel.
term: The BMS shall open the contactor within 100 ms.
negative: The pump shall not start.
negative: The brake shall never open during a fault.
negative: The controller shall not accept a frame with a wrong checksum.
negative: No single fault shall open the brake.
negative: The door must not open while the cabin moves, and the lamp shall light up.
negative: The unit shall show no message of another user.
negative: The software shall not write to the store in this mode.
negative: None of the outputs shall change during start.
pronoun: It shall close the brake.
pronoun: This shall stop the pump.
pronoun: They shall hold the load.
pronoun,several: The pump shall stop. This shall last until the reset.
pronoun: The controller shall treat the latter as an error.
pronoun: The operator shall confirm the above.
pronoun: These shall light up during a fault.
pronoun: The display shall show the alarm when this happens.
escape: The unit shall store the event if possible.
escape: The pump shall stop as far as practicable.
escape: The operator shall check the level where appropriate.
escape: The software shall retry as needed.
escape: Unless otherwise specified the cable shall leave the box below.
escape: The housing shall protect the board to the extent possible.
escape: The controller shall report the fault when necessary.
escape: The lamp shall blink as required.
escape: The supplier shall deliver drawings as applicable.
escape: The driver shall, in general, wait for the answer.
open: The unit shall store errors, warnings, etc.
open: The log shall hold data such as the speed.
open: The display shall show states, for example the mode.
open: The unit shall accept commands e.g. start.
open: The controller shall check the inputs, including but not limited to the speed.
open: The pump shall handle water, oil and so on.
open: The housing shall withstand dust, rain or similar.
open: The limit shall be TBD.
open: The unit shall support start, stop, ...
open: The supplier shall deliver, at a minimum, the drawings.
vague,passive: An appropriate message shall be shown.
passive,vague: The data shall be sent quickly.
negative,vague: The pump shall not run slowly.
passive,escape: The event shall be stored if possible.
pronoun,passive: It shall be stored in the log.
noShall,vague: The response is fast.
noShall,weak,vague: The response should be fast.
passive,noTolerance: The oil shall be heated to 40 °C.
term,vague: The PSU shall have a suitable fuse.
vague,open: The unit shall handle some errors, for instance a loss of power.
several,passive: The pump shall stop and the alarm shall be raised.
negative,passive: The event shall not be stored.
`;

/** Sentences in which nothing shall be found. */
export const sound = `
The brake shall close within 120 ms after the stop request.
The controller shall limit the rope speed to at most 2.5 m/s.
The pump shall start when the level falls below 20 mm.
The display shall show the alarm with the lowest number.
When a door reports unlocked, the controller shall apply the brake.
The supply voltage shall stay between 20 and 28 V.
The cycle shall last for 10 ms ± 0.5 ms.
The unit shall store at least 500 events.
The lever shall release the brake with a force of no more than 250 N.
The controller shall work between -30 and +60 °C.
The horn shall sound until a person acknowledges the alarm.
The software shall reject a frame with a wrong checksum.
The heater shall keep the oil between 35 °C and 45 °C.
The controller shall store the event in the log.
Above 70 km/h of wind the controller shall limit the speed to at most 2.5 m/s.
A pad wear below 2 mm shall raise alarm 6.
The door shall lock before the cabin moves.
The motor shall reach 1500 rpm within 4 s.
The supplier shall test each unit before delivery.
The main mode shall end when the key turns to OFF. The key is part of the panel.
The alarm shall be reset by the operator.
The event shall be stored by the controller.
The speed shall not exceed 2.5 m/s.
The temperature of the housing shall never exceed 70 °C.
The pump shall run for no longer than 30 minutes.
The log shall hold the last 1,000 entries.
The display shall have a height of at least 40 mm.
The unit shall answer a request within 50 ms to 80 ms.
On loss of the first channel the controller shall use channel 2.
The controller shall read both channels in each cycle.
The battery shall supply the horn for at least 8 h.
The fan shall make a noise of at most 45 dB.
The valve shall close from fully open within 3 s.
The operator shall see the state of the brake on the panel.
The unit shall survive a fall from up to 1 m.
The software shall check the sum of the stored estimate at start.
The controller shall close the brake when two cycles in a row fail.
The gate shall open towards the platform.
The drive shall start only with key, mains, locked doors and a closed stop chain.
The rope shall come to a standstill within 25 m.
The pressure shall lie in the range of 6.0 to 16 bar.
The watchdog shall leave all outputs without power.
A person shall release the brake by hand with the lever in the drive room.
The manual shall describe every alarm and its cause.
The unit shall weigh less than 12 kg.
The controller shall raise alarm 3 when both sensors fail.
The output shall follow the input with an accuracy of 1 %.
The timer shall end between 19 and 21 minutes after its start.
The controller shall set output 4 when input 2 is on.
The resistance of the shunt shall be 10 mΩ with a tolerance of 1 %.
The current shall stay under 5 A in each mode.
The message shall carry the number of the build.
The software shall be limited to 64 kB of memory at most.
The unit shall signal the low side and the high side of the bridge apart.
The door shall close with a force below 150 N.
The lamp shall blink at 1 Hz ± 0.1 Hz.
The controller shall ignore a request that comes within 200 ms of the last one.
The stop chain shall have priority over every other command.
Two persons shall confirm the start of the evacuation.
The housing shall protect the board against dust.
The software shall compute the sum over all 16 bytes.
The wear estimate shall survive a shutdown of the controller.
`;

export const rows = (table: string): { readonly rules: string[]; readonly text: string }[] =>
  table
    .trim()
    .split('\n')
    .map((line) => {
      const at = /^([a-zA-Z,]+): /.exec(line);
      return at ? { rules: at[1].split(','), text: line.slice(at[0].length) } : { rules: [], text: line };
    });
