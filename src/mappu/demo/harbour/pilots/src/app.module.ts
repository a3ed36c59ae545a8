import { Module } from '@nestjs/common';
import { AssignmentsController } from './assignments/assignments.controller';
import { AssignmentsService } from './assignments/assignments.service';
import { LicencesController } from './licences/licences.controller';
import { LicencesService } from './licences/licences.service';
import { PilotsController } from './pilots/pilots.controller';
import { PilotsService } from './pilots/pilots.service';

@Module({
  controllers: [PilotsController, AssignmentsController, LicencesController],
  providers: [PilotsService, AssignmentsService, LicencesService],
})
export class AppModule {}
