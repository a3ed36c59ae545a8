import { Body, Controller, Param, ParseUUIDPipe, Post, Put } from '@nestjs/common';
import { Licence } from './licence.entity';
import type { RenewLicence } from './licences.dto';
import { SuspendLicence } from './licences.dto';
import { LicencesService } from './licences.service';

@Controller('licences')
export class LicencesController {
  constructor(private readonly licences: LicencesService) {}

  @Put()
  enter(@Body() licence: Licence) {
    return this.licences.enter(licence);
  }

  @Post(':id/renewal')
  renew(@Param('id', ParseUUIDPipe) id: string, @Body() renewal: RenewLicence) {
    return this.licences.renew(id, renewal);
  }

  @Post(':id/suspension')
  suspend(@Param('id', ParseUUIDPipe) id: string, @Body() suspension: SuspendLicence) {
    return this.licences.suspend(id, suspension.reason);
  }
}
